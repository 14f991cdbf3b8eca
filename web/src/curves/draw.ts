import { scaleLinear, scaleLog } from "d3-scale";

import type { Curve, Mask } from "../api/curves";
import type { Strip } from "../api/client";
import { DASHES } from "../plot/draw";
import {
  decadesOf,
  frequencyTicks,
  inkBehind,
  LEFT,
  RIGHT,
  timeScale,
  traceColour,
  type Size,
  type View,
} from "../plot/frame";
import type { Pen } from "../plot/pen";
import { ticks } from "../plot/scales";
import { show, symbol, type Unit } from "../ui/quantity";
import { decibels, unitIn, valuesOf, wrapped, type CurveLook } from "./sides";

const EDGE = 4;
/** Peaks that are named in a strip at most. */
const NAMED = 3;
/** Depth of a magnitude's scale at most, decades and dB. */
const DECADES = 8;
const DEPTH = 200;

/** A curve as it is drawn. */
export interface DrawnCurve {
  name: string;
  colour: number;
  width: number;
  curve: Curve;
  /** Decades of its frequencies. */
  at: number[];
  /** The how many-th run behind it is of, if it is: thinner, paler and without marks. */
  behind?: number;
}

interface Sheet {
  curves: DrawnCurve[];
  view: View;
  span?: View;
  look: CurveLook;
  scale: NonNullable<Strip["left"]>;
  /** Half the switching frequency, Hz, where curves end. */
  half?: number;
  /** Limits on what is drawn: ground that curves are to keep off. */
  masks: Mask[];
}

/** Draws curves over the logarithm of frequency: grid, scale, what is marked, names at the right end. */
export function drawCurves(pen: Pen, size: Size, sheet: Sheet) {
  const { curves, view, span, look, half } = sheet;
  const x = timeScale(view, size.width);
  const [right, bottom] = [size.width - RIGHT, size.height - EDGE];
  if (span) {
    const a = Math.max(LEFT, x(span.from));
    const width = Math.min(right, x(span.to)) - a;
    if (width > 0) pen.area(a, EDGE, width, bottom - EDGE, { colour: "--copper-soft", opacity: 0.6 });
  }
  for (const tick of frequencyTicks(view, size.width)) {
    const at = Math.round(tick.x) + 0.5;
    pen.line([at, at], [EDGE, bottom], { colour: "--hairline" });
  }
  const values = curves.map(({ curve }) => valuesOf(curve, look));
  const unit = curves[0] ? unitIn(curves[0].curve, look) : "one";
  const y = scaleOf(sheet, values, unit, [bottom, EDGE]);
  for (const tick of y.ticks(Math.max(3, Math.floor(size.height / 28)))) {
    const at = Math.round(y.place(tick.value)) + 0.5;
    if (!(at >= EDGE - 1 && at <= bottom + 1)) continue;
    const ground = look.side === "phase" ? tick.value === -180 : tick.value === 0;
    pen.line([LEFT, right], [at, at], { colour: ground ? "--muted" : "--hairline" });
    pen.text(tick.label, LEFT - 6, Math.min(Math.max(at, 9), bottom - 3), {
      colour: "--muted",
      align: "right",
    });
  }
  pen.within(LEFT, 0, right - LEFT, size.height, () => {
    if (look.side === "magnitude")
      for (const mask of sheet.masks) ground(pen, mask, look, x, y.place, [EDGE, bottom]);
    if (half !== undefined) hatch(pen, x(decadesOf(half)), [EDGE, bottom], right);
    curves.forEach(({ at, colour, width, behind }, k) => {
      const ys = Float64Array.from(values[k] ?? [], (value) => y.place(value));
      const ahead = curves.filter((c) => c.behind === undefined);
      const dash = DASHES[ahead.findIndex((c) => c === curves[k]) % DASHES.length] ?? [];
      pen.line(
        Float64Array.from(at, (f) => x(f)),
        ys,
        behind === undefined ? { colour: traceColour(colour), width, dash } : inkBehind(colour, behind),
      );
    });
    for (const drawn of curves.filter((c) => c.behind === undefined)) {
      tones(pen, drawn, look, x, y.place);
      marks(pen, drawn, look, x, y.place, view);
    }
  });
  pen.line([LEFT + 0.5, LEFT + 0.5], [EDGE, bottom], { colour: "--muted" });
  names(pen, curves, values, y.place, view, size);
  const said = { magnitude: "", phase: "phase", delay: "group delay", plane: "" }[look.side];
  if (said) pen.text(said, right + 6, bottom - 4, { colour: "--muted" });
}

interface Scale {
  place: (value: number) => number;
  ticks: (count: number) => { value: number; label: string }[];
}

function scaleOf(
  { curves, view, look, scale }: Sheet,
  values: number[][],
  unit: Unit,
  [bottom, top]: [number, number],
): Scale {
  const log = look.side === "magnitude" && !look.decibels;
  let [low, high] = [Infinity, -Infinity];
  curves.forEach(({ at }, k) =>
    values[k]?.forEach((value, i) => {
      const f = at[i] ?? NaN;
      if (f < view.from || f > view.to || !Number.isFinite(value) || (log && value <= 0)) return;
      low = Math.min(low, value);
      high = Math.max(high, value);
    }),
  );
  if (low > high) [low, high] = log ? [0.1, 10] : [0, 1];
  if (log) {
    low = Math.max(low, high * 10 ** -DECADES);
    const narrow = high / low < 3;
    [low, high] = narrow ? [low / 2, high * 2] : [low / 1.3, high * 1.3];
  } else {
    if (look.side === "magnitude") low = Math.max(low, high - DEPTH);
    const pad = 0.08 * (high - low) || 0.1 * Math.abs(high) || 1;
    [low, high] = [low - pad, high + pad];
  }
  low = scale.from ?? low;
  high = scale.to ?? high;
  if (!(low < high)) [low, high] = log ? [high / 10, high * 10] : [high - 1, high + 1];
  const place = log ? scaleLog([low, high], [bottom, top]) : scaleLinear([low, high], [bottom, top]);
  const name = curves[0]?.curve.unit ?? "one";
  return {
    place: (value) => (log && !(value > 0) ? NaN : place(value)),
    ticks: (count) => {
      if (look.side === "phase") return degrees(low, high, count);
      if (unit === "decibel") return inDecibels(low, high, count, name === "one" ? "" : symbol(name));
      return log ? oneTwoFive(low, high, unit, count) : ticks({ low, high, unit, log: false }, count);
    },
  };
}

/** Angles are marked at parts of a turn. */
function degrees(low: number, high: number, count: number) {
  const step = [15, 30, 45, 90, 180, 360, 720].find((each) => (high - low) / each <= count) ?? 1440;
  const first = Math.ceil(low / step) * step;
  const all = Array.from({ length: Math.floor((high - first) / step) + 1 }, (_, k) => first + k * step);
  return all.map((value) => ({ value, label: `${value < 0 ? "−" : ""}${Math.abs(value)}°` }));
}

function inDecibels(low: number, high: number, count: number, of: string) {
  const step = [1, 2, 5, 10, 20, 40, 60].find((each) => (high - low) / each <= count) ?? 100;
  const first = Math.ceil(low / step) * step;
  const all = Array.from({ length: Math.floor((high - first) / step) + 1 }, (_, k) => first + k * step);
  return all.map((value, k) => ({
    value,
    label: `${value < 0 ? "−" : ""}${Math.abs(value)}${k === all.length - 1 ? `\u2009dB${of}` : ""}`,
  }));
}

/** Powers of ten, and 2 and 5 between them where there is room. */
function oneTwoFive(low: number, high: number, unit: Unit, count: number) {
  const decades = Math.log10(high / low);
  const within = 3 * decades <= count ? [1, 2, 5] : [1];
  const every = Math.max(1, Math.ceil(decades / count));
  const first = Math.floor(Math.log10(low));
  const powers = Array.from({ length: Math.ceil(decades) + 2 }, (_, k) => first + k);
  return powers
    .filter((power) => power % every === 0)
    .flatMap((power) => within.map((n) => n * 10 ** power))
    .filter((value) => value >= low && value <= high)
    .map((value) => ({ value, label: show(value, unit, 3) }));
}

/** Ground beyond a mask, in steps of a pixel or two, and its edge. */
function ground(
  pen: Pen,
  { points, upper }: Mask,
  look: CurveLook,
  x: (decades: number) => number,
  y: (value: number) => number,
  [top, bottom]: [number, number],
) {
  const place = (size: number) => Math.min(bottom, Math.max(top, y(look.decibels ? decibels(size) : size)));
  for (let k = 1; k < points.length; k += 1) {
    const [[f0, s0], [f1, s1]] = [points[k - 1] ?? [1, 1], points[k] ?? [1, 1]];
    const [a, b] = [x(decadesOf(f0)), x(decadesOf(f1))];
    for (let at = a; at < b; at += 2) {
      const edge = place(s0 * (s1 / s0) ** ((at - a) / (b - a)));
      const [from, height] = upper ? [top, edge - top] : [edge, bottom - edge];
      pen.area(at, from, Math.min(2, b - at), height, { colour: "--missed", opacity: 0.1 });
    }
    pen.line([a, b], [place(s0), place(s1)], { colour: "--missed", opacity: 0.6 });
  }
}

/** Beyond what can be told: a shaded edge with its reason. */
function hatch(pen: Pen, from: number, [top, bottom]: [number, number], right: number) {
  if (from >= right) return;
  for (let at = from - (bottom - top); at < right; at += 7) {
    const begin = Math.max(at, from);
    const end = Math.min(at + (bottom - top), right);
    if (end > begin)
      pen.line([begin, end], [bottom - (begin - at), bottom - (end - at)], { colour: "--hairline" });
  }
  pen.line([from, from], [top, bottom], { colour: "--muted", dash: [2, 2] });
  pen.text("½ fs", from - 4, top + 8, { colour: "--muted", align: "right" });
}

/** What tones gave: a point each, with a bar as long as it may be off. */
function tones(
  pen: Pen,
  { curve, colour }: DrawnCurve,
  look: CurveLook,
  x: (decades: number) => number,
  y: (value: number) => number,
) {
  if (look.side !== "magnitude" && look.side !== "phase") return;
  const ink = { colour: traceColour(colour), width: 1 };
  for (const tone of curve.tones) {
    const at = x(decadesOf(tone.frequency));
    const off = Math.min(tone.error, 0.9);
    const sized = (size: number) => y(look.decibels ? decibels(size) : size);
    const turn = (angle: number) => y(look.wrapped ? wrapped(angle) : angle);
    const angle = (Math.asin(off) * 180) / Math.PI;
    const [low, middle, high] =
      look.side === "phase"
        ? [turn(tone.phase - angle), turn(tone.phase), turn(tone.phase + angle)]
        : [sized(tone.magnitude * (1 - off)), sized(tone.magnitude), sized(tone.magnitude * (1 + off))];
    pen.line(
      [at, at, NaN, at - 2, at + 2, NaN, at - 2, at + 2],
      [low, high, NaN, low, low, NaN, high, high],
      ink,
    );
    pen.dots([at], [middle], { colour: tone.doubtful ? "--missed" : traceColour(colour) });
  }
}

/** Crossovers and margins of loop gains where they are read, peaks of impedances. */
function marks(
  pen: Pen,
  { curve, colour }: DrawnCurve,
  look: CurveLook,
  x: (decades: number) => number,
  y: (value: number) => number,
  view: View,
) {
  const ink = { colour: traceColour(colour), width: 1 };
  const inView = (hertz: number) => decadesOf(hertz) >= view.from && decadesOf(hertz) <= view.to;
  const bracket = (hertz: number, from: number, to: number, words: string) => {
    const at = Math.round(x(decadesOf(hertz))) + 0.5;
    const [a, b] = [y(from), y(to)];
    pen.line([at - 4, at + 4, NaN, at, at, NaN, at - 4, at + 4], [a, a, NaN, a, b, NaN, b, b], ink);
    // Beside the bracket, where there is more room.
    const left = x(view.to) - at < 60;
    pen.text(words, left ? at - 7 : at + 7, (a + b) / 2, { colour: "--ink", align: left ? "right" : "left" });
  };
  if (curve.asks === "loop_gain") {
    const worst = [...curve.crossovers].sort((a, b) => a.phase_margin - b.phase_margin)[0];
    if (look.side === "magnitude")
      for (const crossing of curve.crossovers.filter(({ frequency }) => inView(frequency))) {
        const [at, level] = [x(decadesOf(crossing.frequency)), y(look.decibels ? 0 : 1)];
        pen.dots([at], [level], { colour: traceColour(colour) });
        pen.text(show(crossing.frequency, "hertz", 3), at + 5, level - 9, { colour: "--ink" });
      }
    if (look.side === "phase" && worst && inView(worst.frequency) && !look.wrapped)
      bracket(worst.frequency, -180, worst.phase_margin - 180, show(worst.phase_margin, "degree", 3));
    const { phase_crossover: beyond, gain_margin: margin } = curve;
    if (look.side === "magnitude" && beyond != null && margin != null && inView(beyond)) {
      const [one, there] = look.decibels ? [0, -margin] : [1, 10 ** (-margin / 20)];
      bracket(beyond, one, there, show(margin, "decibel", 3));
    }
    return;
  }
  if (look.side !== "magnitude") return;
  const peaks = curve.peaks.filter(({ frequency }) => inView(frequency));
  for (const peak of peaks.sort((a, b) => b.magnitude - a.magnitude).slice(0, NAMED)) {
    const at = x(decadesOf(peak.frequency));
    const level = y(look.decibels ? decibels(peak.magnitude) : peak.magnitude);
    pen.line([at, at], [level - 3, level - 9], ink);
    pen.text(show(peak.frequency, "hertz", 3), at + 4, Math.max(9, level - 9), { colour: "--muted" });
  }
}

/** Names at the right end of each curve, moved apart where they would collide. */
function names(
  pen: Pen,
  curves: DrawnCurve[],
  values: number[][],
  place: (value: number) => number,
  view: View,
  size: Size,
) {
  const ends = curves.flatMap((drawn, k) => {
    if (drawn.behind !== undefined) return [];
    const last = drawn.at.findLastIndex((f) => f <= view.to + 1e-9);
    const y = place(values[k]?.[last] ?? NaN);
    return [{ drawn, y: Math.min(Math.max(Number.isFinite(y) ? y : size.height / 2, 10), size.height - 20) }];
  });
  ends.sort((a, b) => a.y - b.y);
  ends.forEach((end, k) => {
    const above = ends[k - 1];
    if (above) end.y = Math.max(end.y, above.y + 13);
    pen.text(end.drawn.name, size.width - RIGHT + 6, end.y, {
      colour: traceColour(end.drawn.colour),
      bold: true,
    });
  });
}

/** How far from −1 a loop gain is looked at. */
const AROUND = 2.6;

/** The complex plane: imaginary against real part, to the same scale; of loop gains the point −1 with what is left around it. */
export function drawComplexPlane(pen: Pen, size: Size, curves: DrawnCurve[]) {
  const [right, bottom] = [size.width - RIGHT, size.height - 18];
  const loops = curves.some(({ curve }) => curve.asks === "loop_gain");
  const all = curves.flatMap(({ curve }) => curve.re.map((re, k) => [re, curve.im[k] ?? 0] as const));
  const reach = loops ? AROUND : 1.1 * Math.max(1e-12, ...all.map(([re, im]) => Math.hypot(re, im)));
  const middle = loops ? -0.5 : 0;
  const perPixel = (2 * reach) / Math.min(right - LEFT, bottom - EDGE);
  const x = (re: number) => (LEFT + right) / 2 + (re - middle) / perPixel;
  const y = (im: number) => (EDGE + bottom) / 2 - im / perPixel;
  const unit = curves[0]?.curve.unit ?? "one";
  const half = { across: ((right - LEFT) / 2) * perPixel, up: ((bottom - EDGE) / 2) * perPixel };
  for (const tick of ticks({ low: middle - half.across, high: middle + half.across, unit, log: false }, 7)) {
    const at = Math.round(x(tick.value)) + 0.5;
    pen.line([at, at], [EDGE, bottom], { colour: tick.value === 0 ? "--muted" : "--hairline" });
    pen.text(tick.label, at, bottom + 10, { colour: "--muted", align: "center" });
  }
  for (const tick of ticks(
    { low: -half.up, high: half.up, unit, log: false },
    Math.max(3, size.height / 34),
  )) {
    const at = Math.round(y(tick.value)) + 0.5;
    pen.line([LEFT, right], [at, at], { colour: tick.value === 0 ? "--muted" : "--hairline" });
    pen.text(tick.label, LEFT - 6, Math.max(at, 9), { colour: "--muted", align: "right" });
  }
  const circle = (re: number, radius: number, ink: Parameters<Pen["line"]>[2]) => {
    const turn = Array.from({ length: 91 }, (_, k) => (2 * Math.PI * k) / 90);
    pen.line(
      turn.map((angle) => x(re + radius * Math.cos(angle))),
      turn.map((angle) => y(radius * Math.sin(angle))),
      ink,
    );
  };
  const ahead = curves.filter((drawn) => drawn.behind === undefined);
  pen.within(LEFT, 0, right - LEFT, size.height, () => {
    if (loops) {
      circle(0, 1, { colour: "--muted", dash: [3, 3] });
      pen.dots([x(-1)], [y(0)], { colour: "--ink" });
    }
    for (const { curve, colour, width, behind } of curves) {
      const ink = behind === undefined ? { colour: traceColour(colour), width } : inkBehind(colour, behind);
      pen.line(curve.re.map(x), curve.im.map(y), ink);
      if (curve.asks !== "loop_gain" || behind !== undefined) continue;
      const left = Math.min(...curve.re.map((re, k) => Math.hypot(re + 1, curve.im[k] ?? 0)));
      circle(-1, left, { colour: traceColour(colour), opacity: 0.5 });
      pen.text(`${show(left, "one", 3)} left`, x(-1), y(0) - 12, { colour: "--ink", align: "center" });
    }
  });
  ahead.forEach(({ name, colour }, k) =>
    pen.text(name, right + 6, 12 + 13 * k, { colour: traceColour(colour), bold: true }),
  );
  pen.text("imaginary over", right + 6, bottom - 17, { colour: "--muted" });
  pen.text("real part", right + 6, bottom - 4, { colour: "--muted" });
}
