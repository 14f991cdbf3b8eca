import { scaleLinear } from "d3-scale";

import type { Points } from "../api/client";
import { prefix, symbol, type Unit } from "../ui/quantity";

/** Space beside the plots, shared by all strips so that their time axes line up. */
export const LEFT = 62;
export const RIGHT = 96;

export interface Trace {
  signal: string;
  unit: Unit;
  /** Index into the trace colours. */
  colour: number;
  points?: Points;
  /** The same signal in the run compared with, drawn thinner and paler behind. */
  behind?: Points;
}

export interface View {
  from: number;
  to: number;
}

export interface Size {
  width: number;
  height: number;
}

/** Time to pixel within a strip of this width. */
export function timeScale(view: View, width: number) {
  return scaleLinear([view.from, view.to], [LEFT, width - RIGHT]);
}

function range(traces: Trace[], view: View): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (const points of traces.flatMap((trace) => [trace.points, trace.behind])) {
    points?.y.forEach((y, i) => {
      const t = points.t[i] ?? NaN;
      if (t < view.from || t > view.to || !Number.isFinite(y)) return;
      low = Math.min(low, y);
      high = Math.max(high, y);
    });
  }
  if (low > high) return [0, 1];
  const pad = 0.08 * (high - low) || 0.1 * Math.abs(high) || 1;
  return [low - pad, high + pad];
}

/** Ticks at round steps with labels in one SI prefix; the unit goes to the topmost. */
function ticks(low: number, high: number, unit: Unit, count: number) {
  const [factor, letter] = prefix(Math.max(Math.abs(low), Math.abs(high)), unit);
  const scale = scaleLinear([low / factor, high / factor], [0, 1]);
  const format = scale.tickFormat(count);
  const values = scale.ticks(count);
  return values.map((value, i) => ({
    value: value * factor,
    label: format(value) + (i === values.length - 1 ? `\u2009${letter}${symbol(unit)}` : ""),
  }));
}

/** A colour of the theme by its name. */
export function look(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

export function traceColour(index: number): string {
  return `var(--trace-${index % 8})`;
}

const DASHES = [[], [7, 3], [2, 3], [9, 3, 2, 3]];

/** Draws one strip: grid, axes, traces, and their names at the right end. */
export function drawStrip(canvas: HTMLCanvasElement, size: Size, traces: Trace[], view: View, span?: View) {
  const context = canvas.getContext("2d");
  if (!context) return;
  const ratio = window.devicePixelRatio || 1;
  canvas.width = Math.round(size.width * ratio);
  canvas.height = Math.round(size.height * ratio);
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, size.width, size.height);
  context.font = '11px "Atkinson Hyperlegible Mono", monospace';
  const [ink, muted, hairline] = [look("--ink"), look("--muted"), look("--hairline")];
  const x = timeScale(view, size.width);
  const [right, bottom] = [size.width - RIGHT, size.height - 4];

  if (span) {
    context.fillStyle = look("--copper-soft");
    context.globalAlpha = 0.6;
    const a = Math.max(LEFT, x(span.from));
    context.fillRect(a, 4, Math.min(right, x(span.to)) - a, bottom - 4);
    context.globalAlpha = 1;
  }
  context.strokeStyle = hairline;
  context.lineWidth = 1;
  for (const t of x.ticks(8)) {
    line(context, Math.round(x(t)) + 0.5, 4, Math.round(x(t)) + 0.5, bottom);
  }
  // The first unit has the left scale, a second one the right.
  const units = [...new Set(traces.map((t) => t.unit))];
  const scales = new Map(
    units.map((unit) => {
      const [low, high] = range(
        traces.filter((t) => t.unit === unit),
        view,
      );
      return [unit, scaleLinear([low, high], [bottom, 4])] as const;
    }),
  );
  units.slice(0, 2).forEach((unit, side) => {
    const scale = scales.get(unit);
    if (!scale) return;
    const [low = 0, high = 1] = scale.domain();
    for (const tick of ticks(low, high, unit, Math.max(3, Math.floor(size.height / 28)))) {
      const y = Math.round(scale(tick.value)) + 0.5;
      if (side === 0) {
        context.strokeStyle = tick.value === 0 ? muted : hairline;
        line(context, LEFT, y, right, y);
      }
      context.fillStyle = muted;
      context.textAlign = side === 0 ? "right" : "left";
      context.textBaseline = "middle";
      context.fillText(tick.label, side === 0 ? LEFT - 6 : right + 4, Math.min(Math.max(y, 9), bottom - 3));
    }
  });
  context.save();
  context.beginPath();
  context.rect(LEFT, 0, right - LEFT, size.height);
  context.clip();
  const stroke = (trace: Trace, i: number, points?: Points) => {
    const scale = scales.get(trace.unit);
    if (!points || !scale) return;
    context.strokeStyle = look(`--trace-${trace.colour % 8}`);
    context.setLineDash(DASHES[i % DASHES.length] ?? []);
    context.beginPath();
    points.t.forEach((t, k) => {
      const [px, py] = [x(t), scale(points.y[k] ?? NaN)];
      if (k === 0) context.moveTo(px, py);
      else context.lineTo(px, py);
    });
    context.stroke();
  };
  context.globalAlpha = 0.45;
  context.lineWidth = 1;
  traces.forEach((trace, i) => stroke(trace, i, trace.behind));
  context.globalAlpha = 1;
  context.lineWidth = 1.5;
  traces.forEach((trace, i) => stroke(trace, i, trace.points));
  context.restore();
  context.setLineDash([]);
  context.strokeStyle = muted;
  line(context, LEFT + 0.5, 4, LEFT + 0.5, bottom);
  endLabels(context, traces, scales, view, size, units.length > 1 ? 44 : 6, ink);
}

function line(context: CanvasRenderingContext2D, x0: number, y0: number, x1: number, y1: number) {
  context.beginPath();
  context.moveTo(x0, y0);
  context.lineTo(x1, y1);
  context.stroke();
}

/** Names at the right end of each trace, moved apart where they would collide. */
function endLabels(
  context: CanvasRenderingContext2D,
  traces: Trace[],
  scales: Map<Unit, (value: number) => number | undefined>,
  view: View,
  size: Size,
  offset: number,
  ink: string,
) {
  const ends = traces.map((trace) => {
    const { points } = trace;
    let k = (points?.t.length ?? 0) - 1;
    while (points && k > 0 && (points.t[k] ?? 0) > view.to) k -= 1;
    const y = points && k >= 0 ? scales.get(trace.unit)?.(points.y[k] ?? 0) : undefined;
    return { trace, y: Math.min(Math.max(y ?? size.height / 2, 10), size.height - 10) };
  });
  ends.sort((a, b) => a.y - b.y);
  for (let i = 1; i < ends.length; i += 1) {
    const [above, here] = [ends[i - 1], ends[i]];
    if (above && here) here.y = Math.max(here.y, above.y + 13);
  }
  const overshoot = (ends[ends.length - 1]?.y ?? 0) - (size.height - 8);
  context.textAlign = "left";
  context.textBaseline = "middle";
  context.font = '600 12px "Atkinson Hyperlegible Next", sans-serif';
  for (const { trace, y } of ends) {
    context.fillStyle = look(`--trace-${trace.colour % 8}`) || ink;
    context.fillText(trace.signal, size.width - RIGHT + offset, y - Math.max(0, overshoot));
  }
}

/** Labels of the common time axis. */
export function timeTicks(view: View, width: number) {
  const x = timeScale(view, width);
  const size = Math.max(Math.abs(view.from), Math.abs(view.to));
  const [factor, letter] = prefix(size, "second");
  // Deep in a run the digits that differ are the last ones.
  const values = x.ticks(8);
  const step = (values[1] ?? 1) - (values[0] ?? 0);
  const digits = Math.max(0, Math.ceil(-Math.log10(step / factor) - 1e-9));
  return values.map((value) => ({
    x: x(value),
    label: `${(value / factor).toFixed(Math.min(digits, 9))}\u2009${letter}s`,
  }));
}
