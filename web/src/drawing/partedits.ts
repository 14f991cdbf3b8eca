import type { Supply } from "../api/client";

type Part = NonNullable<Supply["parts"]>[number];
type Placement = NonNullable<Part["at"]>;
export type Change = (document: Supply) => void;
/** Where parts are drawn, by designator. */
export type Places = Map<string, { x: number; y: number }>;

const TURNS: Placement["turn"][] = ["none", "quarter", "half", "three_quarters"];

/** Applies a change to one part of a document. */
export function onPart(id: string, change: (part: Part) => void): Change {
  return (document) => {
    const part = document.parts?.find((p) => p.id === id);
    if (part) change(part);
  };
}

function onParts(ids: string[], change: (part: Part) => void): Change {
  return (document) => document.parts?.filter((p) => ids.includes(p.id)).forEach(change);
}

function place(part: Part, at: { x: number; y: number }) {
  part.at = { turn: "none", ...part.at, x: at.x, y: at.y };
}

/** Moves parts by grid squares from where they are drawn. */
export function moved(ids: string[], places: Places, dx: number, dy: number) {
  return onParts(ids, (part) => {
    const at = places.get(part.id);
    if (at) place(part, { x: at.x + dx, y: at.y + dy });
  });
}

/** Turns parts clockwise by a quarter, each about itself. */
export function turned(ids: string[], places: Places) {
  return onParts(ids, (part) => {
    const at = places.get(part.id);
    if (at) place(part, at);
    if (!part.at) return;
    const next = TURNS[(TURNS.indexOf(part.at.turn) + 1) % TURNS.length];
    part.at = { ...part.at, turn: next ?? "none" };
  });
}

/** Mirrors parts left to right, each about itself. */
export function mirrored(ids: string[], places: Places) {
  return onParts(ids, (part) => {
    const at = places.get(part.id);
    if (at) place(part, at);
    if (part.at) part.at = { ...part.at, mirror: !part.at.mirror };
  });
}

/** Lines parts up in a row or a column, at the middle of where they stand. */
export function aligned(ids: string[], places: Places, along: "row" | "column") {
  const axis = along === "row" ? "y" : "x";
  const all = ids.flatMap((id) => places.get(id)?.[axis] ?? []);
  const middle = Math.round((Math.min(...all) + Math.max(...all)) / 2);
  return onParts(ids, (part) => {
    const at = places.get(part.id);
    if (at) place(part, { ...at, [axis]: middle });
  });
}

/** Connects a pin to a net by name. */
export function joined(id: string, pin: string, net: string) {
  return onPart(id, (part) => {
    part.pins = { ...part.pins, [pin]: net };
  });
}
