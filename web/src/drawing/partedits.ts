import type { PartKind, Supply } from "../api/client";
import type { DrawingShown } from "./view";

type Part = NonNullable<Supply["parts"]>[number];
type Placement = NonNullable<Part["at"]>;
export type Change = (document: Supply) => void;
/** How parts are drawn, by designator. */
export type Places = Map<string, Placement>;

const TURNS: Placement["turn"][] = ["none", "quarter", "half", "three_quarters"];

/** Applies a change to one part of a document. */
export function onPart(id: string, change: (part: Part) => void): Change {
  return (document) => {
    const part = document.parts?.find((p) => p.id === id);
    if (part) change(part);
  };
}

/** How a part is drawn, as a place in the document. */
export function placeOf(drawn: DrawingShown["parts"][number]): Placement {
  return { ...drawn.at, turn: TURNS[drawn.turn / 90] ?? "none", mirror: drawn.mirror };
}

/**
 * Gives parts the places a user chose for them. Those that have none yet stay where they are drawn, or they would be
 * arranged anew around the others.
 */
function placed(ids: string[], places: Places, choose: (at: Placement) => Placement): Change {
  return (document) =>
    document.parts?.forEach((part) => {
      const at = part.at ?? places.get(part.id);
      if (at) part.at = ids.includes(part.id) ? { ...choose(at), by_hand: true } : at;
    });
}

/** Moves parts by grid squares from where they are drawn. */
export function moved(ids: string[], places: Places, dx: number, dy: number) {
  return placed(ids, places, (at) => ({ ...at, x: at.x + dx, y: at.y + dy }));
}

type Kinds = Map<string, PartKind>;
type Box = { left: number; right: number; top: number; bottom: number };

/** What a part takes up about its middle, in grid squares: half its width and half its height, with some air. */
export function reach(kind: PartKind | undefined): [number, number] {
  const [w = 1, h = 1] = kind?.symbol.body ?? [];
  return [w + 0.6, h + 1];
}

function box({ at, turn, kind }: DrawingShown["parts"][number], kinds: Kinds, dx = 0, dy = 0): Box {
  const [across, along] = reach(kinds.get(kind));
  const [w, h] = turn % 180 === 0 ? [across, along] : [along, across];
  const [x, y] = [at.x + dx, at.y + dy];
  return { left: x - w, right: x + w, top: y - h, bottom: y + h };
}

const overlap = (a: Box, b: Box) =>
  a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;

/** Grid squares a dropped part is moved aside at most. */
const FARTHEST = 12;

/** How far parts are to be moved so that none of them comes to lie on another: as wished, or a little aside. */
export function clearOf(
  ids: string[],
  drawing: DrawingShown,
  kinds: Kinds,
  dx: number,
  dy: number,
): [number, number] {
  const moving = drawing.parts.filter((p) => ids.includes(p.id));
  const others = drawing.parts.filter((p) => !ids.includes(p.id)).map((p) => box(p, kinds));
  const clear = (x: number, y: number) =>
    !moving.some((part) => others.some((other) => overlap(box(part, kinds, x, y), other)));
  const aside = Array.from({ length: 2 * FARTHEST + 1 }, (_, k) => k - FARTHEST);
  const tries = aside.flatMap((x) => aside.map((y) => [x, y] as const));
  tries.sort(([ax, ay], [bx, by]) => Math.hypot(ax, ay) - Math.hypot(bx, by));
  const [x, y] = tries.find(([x, y]) => clear(dx + x, dy + y)) ?? [0, 0];
  return [dx + x, dy + y];
}

/** Turns parts clockwise by a quarter, each about itself. */
export function turned(ids: string[], places: Places) {
  const next = (turn: Placement["turn"]) => TURNS[(TURNS.indexOf(turn) + 1) % TURNS.length] ?? "none";
  return placed(ids, places, (at) => ({ ...at, turn: next(at.turn) }));
}

/** Mirrors parts left to right, each about itself. */
export function mirrored(ids: string[], places: Places) {
  return placed(ids, places, (at) => ({ ...at, mirror: !at.mirror }));
}

/** Lines parts up in a row or a column, at the middle of where they stand. */
export function aligned(ids: string[], places: Places, along: "row" | "column") {
  const axis = along === "row" ? "y" : "x";
  const all = ids.flatMap((id) => places.get(id)?.[axis] ?? []);
  const middle = Math.round((Math.min(...all) + Math.max(...all)) / 2);
  return placed(ids, places, (at) => ({ ...at, [axis]: middle }));
}

/** Connects a pin to a net by name. */
export function joined(id: string, pin: string, net: string) {
  return onPart(id, (part) => {
    part.pins = { ...part.pins, [pin]: net };
  });
}
