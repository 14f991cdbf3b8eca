import { useEffect, useState, type RefObject } from "react";

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
/** Squares across at the closest and, relative to the drawing, at the farthest. */
const CLOSEST = 12;
const FARTHEST = 4;

/** What is shown at first: the whole drawing, or a chosen stage with what lies around it. */
export function framed({ from, to, parts }: DrawingShown, stage: string | undefined): View {
  const spots = parts.filter((p) => p.stage === stage).flatMap((p) => p.pins.map(([, s]) => s));
  const whole = { x: from.x, y: from.y, width: to.x - from.x, height: to.y - from.y };
  if (stage === undefined || spots.length === 0) return whole;
  const [xs, ys] = [spots.map((s) => s.x), spots.map((s) => s.y)];
  const [left, top] = [
    Math.max(from.x, Math.min(...xs) - AROUND),
    Math.max(from.y, Math.min(...ys) - AROUND),
  ];
  return {
    x: left,
    y: top,
    width: Math.min(to.x, Math.max(...xs) + AROUND) - left,
    height: Math.min(to.y, Math.max(...ys) + AROUND) - top,
  };
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

/** Zoom and pan of the drawing; as long as neither was used, it follows the drawing and the chosen stage. */
export function useViewport(svg: RefObject<SVGSVGElement | null>, drawing: DrawingShown, stage?: string) {
  const fitting = framed(drawing, stage);
  const [own, setOwn] = useState<View>();
  const [seen, setSeen] = useState(stage);
  if (seen !== stage) {
    setSeen(stage);
    setOwn(undefined);
  }
  const view = own ?? fitting;
  const grid = (client: { clientX: number; clientY: number }): Point => {
    const matrix = svg.current?.getScreenCTM();
    if (!matrix) return { x: 0, y: 0 };
    const { x, y } = new DOMPoint(client.clientX, client.clientY).matrixTransform(matrix.inverse());
    return { x, y };
  };
  const whole = framed(drawing, undefined);
  const zoom = (factor: number, about?: Point) =>
    setOwn(zoomed(view, about ?? { x: view.x + view.width / 2, y: view.y + view.height / 2 }, factor, whole));
  const pan = (from: View, dx: number, dy: number) => setOwn({ ...from, x: from.x - dx, y: from.y - dy });
  // React listens to the wheel passively, which cannot keep the page from scrolling.
  useEffect(() => {
    const element = svg.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(Math.exp(0.0015 * event.deltaY), grid(event));
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  });
  return { view, grid, zoom, pan, fit: () => setOwn(undefined) };
}
