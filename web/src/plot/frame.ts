import { scaleLinear } from "d3-scale";

import type { Points } from "../api/traces";
import { prefix, show, type Unit } from "../ui/quantity";
import type { Ink } from "./pen";

/** A side a scale can stand on. */
export type Side = "left" | "right";

/** Space beside the plots, shared by all strips so that their time axes line up. */
export const LEFT = 62;
export const RIGHT = 96;

/** A trace as it is drawn. */
export interface Trace {
  signal: string;
  unit: Unit;
  /** Index into the trace colours. */
  colour: number;
  width: number;
  /** Whether the instants the engine computed are marked. */
  marked: boolean;
  side?: Side;
  points?: Points;
  /** The same signal in runs compared with, drawn thinner and paler behind. */
  behind: (Points | undefined)[];
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

/** The colour of a trace, as a name of the theme. */
export function traceColour(index: number): string {
  return `--trace-${index % 8}`;
}

/** Dashes of the runs behind, the first of which is drawn through. */
const BEHIND = [[], [5, 3], [2, 2], [8, 2, 2, 2], [1, 3]];

/** What the n-th run behind is drawn with: thinner and paler. */
export function inkBehind(colour: number, nth: number): Ink {
  return { colour: traceColour(colour), opacity: 0.45, width: 1, dash: BEHIND[nth % BEHIND.length] };
}

/** Width of a letter of a label, CSS pixels. */
const LETTER = 7.2;

/** What lies along a strip's horizontal axis. */
export interface Axis {
  name: string;
  ticks: (view: View, width: number) => { x: number; label: string }[];
  /** A place in words. */
  said: (at: number) => string;
  /** What lies between two places, in two lines. */
  between: (span: View) => [string, string];
}

/** Frequencies stand by their decades, so that equal ratios lie equally far apart. */
export const hertzOf = (decades: number) => 10 ** decades;
export const decadesOf = (hertz: number) => Math.log10(hertz);

/** Labels of a frequency axis: every decade, and 2 and 5 in between where there is room. */
export function frequencyTicks(view: View, width: number) {
  const x = timeScale(view, width);
  const perDecade = Math.abs(x(1) - x(0));
  const within = perDecade > 7 * LETTER * 3 ? [1, 2, 5] : [1];
  const first = Math.floor(view.from);
  const decades = Array.from({ length: Math.max(1, Math.ceil(view.to) - first + 1) }, (_, k) => first + k);
  const every = Math.max(1, Math.ceil((8 * LETTER) / Math.max(1, perDecade)));
  return decades
    .filter((decade) => decade % every === 0)
    .flatMap((decade) => within.map((n) => decade + Math.log10(n)))
    .filter((at) => at >= view.from - 1e-9 && at <= view.to + 1e-9)
    .map((at) => ({ x: x(at), label: show(hertzOf(at), "hertz", 3) }));
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
  const labels = values.map((value) => ({
    x: x(value),
    label: `${(value / factor).toFixed(Math.min(digits, 9))}\u2009${letter}s`,
  }));
  // Where lines stand closer than their labels are wide, every second one is labelled, or every fifth.
  const widest = LETTER * Math.max(0, ...labels.map(({ label }) => label.length + 1));
  const every = [1, 2, 5, 10].find((n) => n * (x(step) - x(0)) >= widest) ?? 10;
  return labels.filter((_, k) => Math.round((values[k] ?? 0) / step) % every === 0);
}

export const TIME: Axis = {
  name: "Time axis and span",
  ticks: timeTicks,
  said: (at) => show(at, "second", 6),
  between: ({ from, to }) => [
    `Δt ${show(to - from, "second", 4)}`,
    `1/Δt ${show(1 / (to - from), "hertz", 3)}`,
  ],
};

export const FREQUENCY: Axis = {
  name: "Frequency axis and span",
  ticks: frequencyTicks,
  said: (at) => show(hertzOf(at), "hertz", 4),
  between: ({ from, to }) => [`A ${show(hertzOf(from), "hertz", 4)}`, `B ${show(hertzOf(to), "hertz", 4)}`],
};
