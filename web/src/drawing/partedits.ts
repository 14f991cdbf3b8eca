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
function placed(ids: string[], places: Places, choose: (at: Placement, id: string) => Placement): Change {
  return (document) =>
    document.parts?.forEach((part) => {
      const at = part.at ?? places.get(part.id);
      if (at) part.at = ids.includes(part.id) ? { ...choose(at, part.id), by_hand: true } : at;
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

type Drawn = DrawingShown["parts"][number];

function box({ at, turn, kind }: Drawn, kinds: Kinds, dx = 0, dy = 0): Box {
  const [across, along] = reach(kinds.get(kind));
  const [w, h] = turn % 180 === 0 ? [across, along] : [along, across];
  const [x, y] = [at.x + dx, at.y + dy];
  return { left: x - w, right: x + w, top: y - h, bottom: y + h };
}

const overlap = (a: Box, b: Box) =>
  a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;

/** Grid squares a dropped part is moved aside at most. */
const FARTHEST = 12;

/** How far parts, standing as given, are to be moved aside so that none of them lies on another. */
function clearOf(moving: Drawn[], others: Drawn[], kinds: Kinds): [number, number] {
  const taken = others.map((p) => box(p, kinds));
  const clear = (x: number, y: number) =>
    !moving.some((part) => taken.some((other) => overlap(box(part, kinds, x, y), other)));
  const aside = Array.from({ length: 2 * FARTHEST + 1 }, (_, k) => k - FARTHEST);
  const tries = aside.flatMap((x) => aside.map((y) => [x, y] as const));
  tries.sort(([ax, ay], [bx, by]) => Math.hypot(ax, ay) - Math.hypot(bx, by));
  const [x, y] = tries.find(([x, y]) => clear(x, y)) ?? [0, 0];
  return [x, y];
}

/** Gives chosen parts new places as one group, moved aside so that none comes to lie on another; one alone may stay where it is. */
function regrouped(
  ids: string[],
  drawing: DrawingShown,
  kinds: Kinds,
  choose: (at: Placement, all: Placement[]) => Placement,
  stays = ids.length === 1,
): Change {
  const drawn = drawing.parts;
  const places: Places = new Map(drawn.map((p) => [p.id, placeOf(p)]));
  return (document) => {
    const at = new Map(
      document.parts?.flatMap((part) => {
        const place = part.at ?? places.get(part.id);
        return place ? [[part.id, place] as const] : [];
      }),
    );
    const standing = (id: string, place: Placement): Drawn[] =>
      drawn.flatMap((p) =>
        p.id === id
          ? [{ ...p, at: place, turn: 90 * TURNS.indexOf(place.turn), mirror: place.mirror ?? false }]
          : [],
      );
    const before = ids.flatMap((id) => at.get(id) ?? []);
    const after = ids.flatMap((id) => {
      const place = at.get(id);
      return place ? [[id, choose(place, before)] as const] : [];
    });
    const others = [...at].filter(([id]) => !ids.includes(id));
    const moving = after.flatMap(([id, place]) => standing(id, place));
    const around = others.flatMap(([id, place]) => standing(id, place));
    const [dx, dy] = stays ? [0, 0] : clearOf(moving, around, kinds);
    const chosen = new Map(after);
    placed(ids, places, (place, id) => {
      const next = chosen.get(id) ?? place;
      return { ...next, x: next.x + dx, y: next.y + dy };
    })(document);
  };
}

/** Moves parts by grid squares, or a little farther where something stands in the way. */
export function dropped(ids: string[], drawing: DrawingShown, kinds: Kinds, dx: number, dy: number): Change {
  return regrouped(ids, drawing, kinds, (at) => ({ ...at, x: at.x + dx, y: at.y + dy }), false);
}

/** Twice the middle of places, which may lie between the lines of the grid. */
function twiceMiddle(all: Placement[]): [number, number] {
  const of = (values: number[]) => Math.min(...values) + Math.max(...values);
  return [of(all.map((at) => at.x)), of(all.map((at) => at.y))];
}

/** The one of places that stands nearest to their middle: what is turned about it comes back in four turns. */
function pivot(all: Placement[]): Placement | undefined {
  const [x, y] = twiceMiddle(all);
  const away = (at: Placement) => Math.hypot(2 * at.x - x, 2 * at.y - y);
  return all.reduce<Placement | undefined>(
    (nearest, at) => (nearest && away(nearest) <= away(at) ? nearest : at),
    undefined,
  );
}

/** Turns parts clockwise by a quarter, as one group. */
export function turned(ids: string[], drawing: DrawingShown, kinds: Kinds): Change {
  const next = (turn: Placement["turn"]) => TURNS[(TURNS.indexOf(turn) + 1) % TURNS.length] ?? "none";
  return regrouped(ids, drawing, kinds, (at, all) => {
    const { x, y } = pivot(all) ?? at;
    return { ...at, x: x - (at.y - y), y: y + (at.x - x), turn: next(at.turn) };
  });
}

/** Mirrors parts left to right, as one group. */
export function mirrored(ids: string[], drawing: DrawingShown, kinds: Kinds): Change {
  return regrouped(ids, drawing, kinds, (at, all) => ({
    ...at,
    x: twiceMiddle(all)[0] - at.x,
    // A part that lies is mirrored upside down, and stands the other way round.
    turn: at.turn === "quarter" ? "three_quarters" : at.turn === "three_quarters" ? "quarter" : at.turn,
    mirror: !at.mirror,
  }));
}

/** Lines parts up in a row or a column, at the middle of where they stand; those that would come to lie on one another stand side by
 * side. */
export function aligned(ids: string[], drawing: DrawingShown, kinds: Kinds, along: "row" | "column"): Change {
  const [across, axis] = along === "row" ? (["y", "x"] as const) : (["x", "y"] as const);
  const extent = (place: Placement): [number, number] => {
    const part = drawing.parts.find((p) => p.at.x === place.x && p.at.y === place.y);
    if (!part) return [3, 3];
    const { left, right, top, bottom } = box(part, kinds);
    return along === "row" ? [place.x - left, right - place.x] : [place.y - top, bottom - place.y];
  };
  return regrouped(ids, drawing, kinds, (at, all) => {
    const [x, y] = twiceMiddle(all).map((twice) => Math.round(twice / 2)) as [number, number];
    const sorted = [...all].sort((a, b) => a[axis] - b[axis]);
    let edge = -Infinity;
    let found = at[axis];
    for (const place of sorted) {
      const [before, behind] = extent(place);
      const there = Math.max(place[axis], Math.ceil(edge + before));
      edge = there + behind;
      if (place === at) found = there;
    }
    return { ...at, [axis]: found, [across]: across === "y" ? y : x };
  });
}

/** Connects a pin to a net by name. */
export function joined(id: string, pin: string, net: string) {
  return onPart(id, (part) => {
    part.pins = { ...part.pins, [pin]: net };
  });
}
