import { scaleLinear } from "d3-scale";

import { prefix, show, symbol, type Unit } from "../ui/quantity";
import { inkBehind, LEFT, RIGHT, traceColour, type Size } from "./frame";
import type { Pen } from "./pen";
import { ticks } from "./scales";

/** Room for the frequencies beneath. */
export const FOOT = 18;
const EDGE = 4;
/** Depth of a scale in decibels. */
const DEPTH = 120;
/** Lines that get a name, and how small one may be beside the largest. */
const NAMED = { most: 10, least: 1 / 400 };

export interface Lines {
  signal: string;
  colour: number;
  unit: Unit;
  /** Hz from one line to the next. */
  spacing: number;
  /** RMS from zero on; at zero the mean. */
  rms: number[];
  fundamental?: number;
  /** The how many-th run behind it is of, if it is: thinner, paler and without names. */
  behind?: number;
}

/** Draws line spectra over frequency: each line from the ground up, the largest named; what stands behind comes last. */
export function drawLines(pen: Pen, size: Size, spectra: Lines[], decibels: boolean, upTo?: number) {
  const [right, bottom] = [size.width - RIGHT, size.height - FOOT];
  const top = upTo ?? Math.max(0, ...spectra.map((s) => s.spacing * last(s, decibels)));
  const x = scaleLinear([0, top || 1], [LEFT, right]);
  const level = (rms: number) => (decibels ? 20 * Math.log10(Math.abs(rms) || 1e-30) : Math.abs(rms));
  // What alternates sets the scale; beside a supply's mean it would not be seen.
  const largest = spectra.reduce((most, s) => Math.max(most, level(strongest(s))), decibels ? -300 : 1e-15);
  const ceiling = decibels ? 10 * Math.ceil((largest + 6) / 10) : 1.2 * largest;
  const floor = decibels ? ceiling - DEPTH : 0;
  const y = scaleLinear([floor, ceiling], [bottom, EDGE]);
  const unit = spectra[0]?.unit ?? "one";
  const ahead = spectra.filter((s) => s.behind === undefined);
  for (const f of x.ticks(8)) {
    const at = Math.round(x(f)) + 0.5;
    pen.line([at, at], [EDGE, bottom], { colour: "--hairline" });
    pen.text(show(f, "hertz"), at, bottom + 10, { colour: "--muted", align: "center" });
  }
  const count = Math.max(3, Math.floor(size.height / 28));
  const marks = decibels
    ? y.ticks(count).map((value, k, all) => ({
        value,
        label: `${value}${k === all.length - 1 ? "\u2009dB" : ""}`,
      }))
    : ticks({ low: floor, high: ceiling, unit, log: false }, count);
  for (const mark of marks) {
    const at = Math.round(y(mark.value)) + 0.5;
    pen.line([LEFT, right], [at, at], { colour: "--hairline" });
    pen.text(mark.label, LEFT - 6, Math.max(at, 9), { colour: "--muted", align: "right" });
  }
  pen.within(LEFT, 0, right - LEFT, size.height, () => {
    // What stands behind is drawn first; each lies a little beside the one before.
    const placed = spectra.map((s, nth) => ({ s, nth }));
    const order = [...placed.filter(({ s }) => s.behind !== undefined), ...placed.slice(0, ahead.length)];
    order.forEach(({ s, nth }) => {
      const [xs, ys]: [number[], number[]] = [[], []];
      s.rms.forEach((rms, k) => {
        if (k === 0) return;
        const at = x(k * s.spacing) + 2 * nth;
        xs.push(at, at, NaN);
        ys.push(bottom, Math.min(bottom, y(level(rms))), NaN);
      });
      const gap = x(s.spacing) - x(0);
      const width = Math.min(3, Math.max(1.2, 0.5 * gap));
      if (s.behind === undefined) pen.line(xs, ys, { colour: traceColour(s.colour), width });
      else pen.line(xs, ys, { ...inkBehind(s.colour, s.behind), dash: [], width: 0.7 * width });
    });
    names(pen, ahead, (s, k) => [x(k * s.spacing), y(level(s.rms[k] ?? 0))], [LEFT, right]);
  });
  pen.line([LEFT, right], [bottom + 0.5, bottom + 0.5], { colour: "--muted" });
  ahead.forEach((s, k) => {
    pen.text(s.signal, right + 6, 12 + 26 * k, { colour: traceColour(s.colour), bold: true });
    pen.text(`mean ${show(s.rms[0], s.unit, 3)}`, right + 6, 25 + 26 * k, { colour: "--muted" });
  });
  const said = decibels ? `re 1\u2009${symbol(unit)} RMS` : "RMS per line";
  pen.text(said, right + 6, bottom - 4, { colour: "--muted" });
}

/** The strongest line but the mean; there may be too many for one call. */
function strongest({ rms }: Pick<Lines, "rms">): number {
  return rms.reduce((most, line, k) => (k > 0 ? Math.max(most, line) : most), 0);
}

/** The last line worth showing, and a little beyond it. */
function last({ rms }: Lines, decibels: boolean): number {
  const all = rms.length - 1;
  if (decibels) return all;
  const least = NAMED.least * strongest({ rms });
  return Math.min(all, Math.max(20, Math.ceil(1.2 * rms.findLastIndex((line, k) => k > 0 && line >= least))));
}

const ORDINALS = ["th", "st", "nd", "rd"];

/** A line's frequency, and which harmonic it is. */
export function nameOf({ spacing, fundamental }: Lines, k: number): string {
  const frequency = k * spacing;
  const [factor] = prefix(frequency, "hertz");
  const digits = Math.max(
    3,
    Math.ceil(Math.log10(frequency / factor)) + Math.ceil(Math.log10(factor / spacing)),
  );
  const said = show(frequency, "hertz", Math.min(6, digits));
  const order = fundamental ? Math.round(frequency / fundamental) : 0;
  // Only where no other line lies nearer to the multiple.
  if (!fundamental || order < 1 || Math.abs(frequency - order * fundamental) > 0.5 * spacing) return said;
  const ordinal = (order % 100 > 10 && order % 100 < 14 ? undefined : ORDINALS[order % 10]) ?? "th";
  return `${said}, ${order}${ordinal}`;
}

/** Names the largest lines that stand out from their neighbours, as long as there is room. */
function names(
  pen: Pen,
  spectra: Lines[],
  at: (s: Lines, k: number) => [number, number],
  bounds: [number, number],
) {
  const peaks = spectra.flatMap((s) => {
    const largest = strongest(s);
    return s.rms
      .map((rms, k) => ({ s, k, size: rms / largest }))
      .filter(({ k, size }) => {
        const [before, after] = [s.rms[k - 1] ?? 0, s.rms[k + 1] ?? 0];
        return k > 0 && size >= NAMED.least && (s.rms[k] ?? 0) >= Math.max(k > 1 ? before : 0, after);
      });
  });
  peaks.sort((a, b) => b.size - a.size);
  const placed: [number, number, number][] = [];
  for (const { s, k } of peaks) {
    if (placed.length >= NAMED.most) break;
    const words = nameOf(s, k);
    const [px, py] = at(s, k);
    if (px > bounds[1]) continue;
    const half = 3.4 * words.length;
    const x = px - half < bounds[0] ? px + half + 4 : Math.min(px, bounds[1] - half);
    const y = Math.max(10, py - 8);
    if (placed.some(([ox, oy, other]) => Math.abs(ox - x) < half + other + 4 && Math.abs(oy - y) < 13))
      continue;
    placed.push([x, y, half]);
    pen.text(words, x, y, { colour: "--ink", align: "center" });
  }
}
