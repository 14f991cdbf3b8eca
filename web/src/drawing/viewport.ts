import { useEffect, useRef, useState, type RefObject } from "react";

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

/** Squares of the surroundings shown around a chosen stage. */
const AROUND = 16;
/** Squares a fitted view has at least. */
const ROOM = { width: 56, height: 40 };
/** Squares across at the closest and, relative to the drawing, at the farthest. */
const CLOSEST = 12;
const FARTHEST = 4;

/** What is shown at first: the whole drawing, or a chosen stage with what lies around it. */
export function framed({ from, to, parts }: DrawingShown, stage: string | undefined): View {
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
function zoomed(view: View, about: Point, factor: number, whole: View): View {
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
function scale(view: View, box: { width: number; height: number }): number {
  return Math.min(box.width / view.width, box.height / view.height);
}

function centre(view: View): Point {
  return { x: view.x + view.width / 2, y: view.y + view.height / 2 };
}

/** What the sheet is laid out for while it is zoomed or panned, and the box it lies in. */
interface Held {
  view: View;
  box: { width: number; height: number };
}

/** Milliseconds after which a zoomed or panned sheet is laid out anew. */
const SETTLED = 150;

export type Viewport = ReturnType<typeof useViewport>;

/** Zoom and pan of the drawing in its frame; as long as neither was used, it follows the drawing and the chosen
 * stage. Laying out a large drawing takes longer than a frame of the screen, so while it is zoomed or panned the
 * sheet as it was is shifted and stretched. */
export function useViewport(frame: RefObject<HTMLElement | null>, drawing: DrawingShown, stage?: string) {
  const fitting = framed(drawing, stage);
  const [own, setOwn] = useState<View>();
  const [held, setHeld] = useState<Held>();
  const settling = useRef<ReturnType<typeof setTimeout>>(undefined);
  const [seen, setSeen] = useState(stage);
  if (seen !== stage) {
    setSeen(stage);
    setOwn(undefined);
    setHeld(undefined);
  }
  const view = own ?? fitting;
  const grid = (client: { clientX: number; clientY: number }): Point => {
    const box = frame.current?.getBoundingClientRect();
    const { x, y } = centre(view);
    if (!box) return { x, y };
    const s = scale(view, box);
    return {
      x: x + (client.clientX - box.left - box.width / 2) / s,
      y: y + (client.clientY - box.top - box.height / 2) / s,
    };
  };
  const look = (next: View) => {
    const box = frame.current?.getBoundingClientRect();
    if (box) setHeld((held) => held ?? { view, box: { width: box.width, height: box.height } });
    setOwn(next);
    clearTimeout(settling.current);
    settling.current = setTimeout(() => setHeld(undefined), SETTLED);
  };
  const whole = framed(drawing, undefined);
  const zoom = (factor: number, about?: Point) => look(zoomed(view, about ?? centre(view), factor, whole));
  /** Shifts a view by pixels. */
  const pan = (from: View, dx: number, dy: number) => {
    const box = frame.current?.getBoundingClientRect();
    const s = box ? scale(from, box) : 1;
    look({ ...from, x: from.x - dx / s, y: from.y - dy / s });
  };
  // React listens to the wheel passively, which cannot keep the page from scrolling.
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(Math.exp(0.0015 * event.deltaY), grid(event));
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  });
  useEffect(() => () => clearTimeout(settling.current), []);
  const { x, y, width, height } = held?.view ?? view;
  return {
    view,
    grid,
    zoom,
    pan,
    fit: () => {
      setHeld(undefined);
      setOwn(undefined);
    },
    /** What the sheet shows, and what is done to it as a whole. It reaches beyond its frame by a frame on every
     * side, so that there is something to be shifted into view. */
    sheet: {
      viewBox: `${x - width} ${y - height} ${3 * width} ${3 * height}`,
      style: { inset: "-100%", transform: held && shifted(held, view) },
    },
  };
}

/** What turns a sheet laid out for one view into another, about its middle. */
function shifted({ view: laidOut, box }: Held, view: View): string {
  const [was, is, s] = [centre(laidOut), centre(view), scale(view, box)];
  return `translate(${(was.x - is.x) * s}px, ${(was.y - is.y) * s}px) scale(${s / scale(laidOut, box)})`;
}
