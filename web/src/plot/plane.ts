import { scaleLinear } from "d3-scale";

import type { Unit } from "../ui/quantity";
import { DASHES } from "./draw";
import { inkBehind, LEFT, RIGHT, traceColour, type Size } from "./frame";
import { FOOT } from "./lines";
import type { Ink, Pen } from "./pen";
import { ticks } from "./scales";

const EDGE = 4;

/** A signal against another; the line is broken where a coordinate is missing. */
export interface Curve {
  signal: string;
  colour: number;
  xUnit: Unit;
  unit: Unit;
  x: (number | null)[];
  y: (number | null)[];
  /** The how many-th run behind it is of, if it is: thinner, paler and without a name. */
  behind?: number;
}

/** Draws signals against one that lies along the horizontal axis. */
export function drawPlane(pen: Pen, size: Size, against: string, curves: Curve[]) {
  const [right, bottom] = [size.width - RIGHT, size.height - FOOT];
  const across = range(curves.map((c) => c.x));
  const up = range(curves.map((c) => c.y));
  const x = scaleLinear(across, [LEFT, right]);
  const y = scaleLinear(up, [bottom, EDGE]);
  const [xUnit, yUnit] = [curves[0]?.xUnit ?? "one", curves[0]?.unit ?? "one"];
  for (const tick of ticks({ low: across[0], high: across[1], unit: xUnit, log: false }, 7)) {
    const at = Math.round(x(tick.value)) + 0.5;
    pen.line([at, at], [EDGE, bottom], { colour: tick.value === 0 ? "--muted" : "--hairline" });
    pen.text(tick.label, at, bottom + 10, { colour: "--muted", align: "center" });
  }
  for (const tick of ticks(
    { low: up[0], high: up[1], unit: yUnit, log: false },
    Math.max(3, size.height / 28),
  )) {
    const at = Math.round(y(tick.value)) + 0.5;
    pen.line([LEFT, right], [at, at], { colour: tick.value === 0 ? "--muted" : "--hairline" });
    pen.text(tick.label, LEFT - 6, Math.max(at, 9), { colour: "--muted", align: "right" });
  }
  const ahead = curves.filter((c) => c.behind === undefined);
  const stroke = (curve: Curve, ink: Ink) => {
    const xs = curve.x.map((value) => (value === null ? NaN : x(value)));
    const ys = curve.y.map((value) => (value === null ? NaN : y(value)));
    pen.line(xs, ys, ink);
  };
  pen.within(LEFT, 0, right - LEFT, size.height, () => {
    for (const curve of curves)
      if (curve.behind !== undefined) stroke(curve, inkBehind(curve.colour, curve.behind));
    ahead.forEach((curve, k) =>
      stroke(curve, { colour: traceColour(curve.colour), width: 1.5, dash: DASHES[k % DASHES.length] }),
    );
  });
  ahead.forEach((curve, k) =>
    pen.text(curve.signal, right + 6, 12 + 13 * k, { colour: traceColour(curve.colour), bold: true }),
  );
  pen.text(`against ${against}`, right + 6, bottom - 4, { colour: "--muted", bold: true });
}

function range(all: (number | null)[][]): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (const values of all)
    for (const value of values) {
      if (value === null) continue;
      low = Math.min(low, value);
      high = Math.max(high, value);
    }
  if (low > high) return [0, 1];
  const pad = 0.06 * (high - low) || 0.1 * Math.abs(high) || 1;
  return [low - pad, high + pad];
}
