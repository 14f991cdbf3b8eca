import { scaleLinear } from "d3-scale";

import type { Points } from "../api/traces";
import { prefix, type Unit } from "../ui/quantity";
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
