import type { SupplyShown } from "../api/client";

export type DrawingShown = SupplyShown["drawing"];
export interface View {
  x: number;
  y: number;
  width: number;
  height: number;
}
export interface Point {
  x: number;
  y: number;
}
/** Room on the screen, px. */
export interface Box {
  width: number;
  height: number;
}

/** Squares of the surroundings shown around a chosen stage. */
const AROUND = 16;
/** Squares a fitted view has at least. */
const ROOM = { width: 56, height: 40 };
/** Squares across at the closest and, relative to the drawing, at the farthest. */
const CLOSEST = 12;
const FARTHEST = 4;

/** What is shown at first: the whole drawing, or a chosen stage with what lies around it. */
export function framed(
  { from, to }: Pick<DrawingShown, "from" | "to">,
  parts: DrawingShown["parts"],
  stage: string | undefined,
): View {
  const spots = parts.filter((p) => p.stage === stage).flatMap((p) => p.pins.map(([, s]) => s));
  const whole = { x: from.x, y: from.y, width: to.x - from.x, height: to.y - from.y };
  if (stage === undefined || spots.length === 0) return roomy(whole);
  const [xs, ys] = [spots.map((s) => s.x), spots.map((s) => s.y)];
  const [left, top] = [
    Math.max(from.x, Math.min(...xs) - AROUND),
    Math.max(from.y, Math.min(...ys) - AROUND),
  ];
  return roomy({
    x: left,
    y: top,
    width: Math.min(to.x, Math.max(...xs) + AROUND) - left,
    height: Math.min(to.y, Math.max(...ys) + AROUND) - top,
  });
}

/** A view with room around what is too small to fill it: one part is not blown up to the whole pane. */
function roomy({ x, y, width, height }: View): View {
  const [right, down] = [Math.max(0, ROOM.width - width), Math.max(0, ROOM.height - height)];
  return { x: x - right / 2, y: y - down / 2, width: width + right, height: height + down };
}

/** A view zoomed about a point; factors below 1 come closer. */
export function zoomed(view: View, about: Point, factor: number, whole: View): View {
  const width = Math.min(
    Math.max(view.width * factor, CLOSEST),
    FARTHEST * Math.max(whole.width, whole.height),
  );
  const f = width / view.width;
  return {
    x: about.x - f * (about.x - view.x),
    y: about.y - f * (about.y - view.y),
    width,
    height: f * view.height,
  };
}

/** Pixels per grid square where a view is fitted into a box. */
export function scale(view: View, box: Box): number {
  return Math.min(box.width / view.width, box.height / view.height);
}

export function centre(view: View): Point {
  return { x: view.x + view.width / 2, y: view.y + view.height / 2 };
}
