import type { Supply } from "../api/client";

type Part = NonNullable<Supply["parts"]>[number];
type Placement = NonNullable<Part["at"]>;

const TURNS: Placement["turn"][] = ["none", "quarter", "half", "three_quarters"];

/** Applies a change to one part of a document. */
export function onPart(id: string, change: (part: Part) => void) {
  return (document: Supply) => {
    const part = document.parts?.find((p) => p.id === id);
    if (part) change(part);
  };
}

/** Moves a part by grid squares from where it is drawn. */
export function moved(id: string, from: { x: number; y: number }, dx: number, dy: number) {
  return onPart(id, (part) => {
    part.at = { turn: "none", ...part.at, x: from.x + dx, y: from.y + dy };
  });
}

/** Turns a part clockwise by a quarter. */
export function turned(id: string) {
  return onPart(id, (part) => {
    if (!part.at) return;
    const next = TURNS[(TURNS.indexOf(part.at.turn) + 1) % TURNS.length];
    part.at = { ...part.at, turn: next ?? "none" };
  });
}

/** Mirrors a part left to right. */
export function mirrored(id: string) {
  return onPart(id, (part) => {
    if (part.at) part.at = { ...part.at, mirror: !part.at.mirror };
  });
}

export function removed(id: string) {
  return (document: Supply) => {
    document.parts = document.parts?.filter((p) => p.id !== id);
  };
}

/** Connects a pin to a net by name. */
export function joined(id: string, pin: string, net: string) {
  return onPart(id, (part) => {
    part.pins = { ...part.pins, [pin]: net };
  });
}
