import { scaleLinear, scaleLog } from "d3-scale";

import type { Strip as StripLook } from "../api/client";
import type { Points } from "../api/traces";
import { prefix, symbol, type Unit } from "../ui/quantity";
import type { Side, Trace, View } from "./frame";

type ScaleLook = NonNullable<StripLook["left"]>;

/** A vertical scale and the traces that have it. */
export interface Scale {
  unit: Unit;
  /** Where it is drawn; a third one is not. */
  side?: Side;
  log: boolean;
  low: number;
  high: number;
  /** Value to pixel; no number where a logarithmic scale has no place. */
  place: (value: number) => number;
  traces: Trace[];
}

/** The scales of a strip: traces of one unit share one, unless they were put on different sides. */
export function scalesOf(
  traces: Trace[],
  view: View,
  looks: { left?: ScaleLook; right?: ScaleLook },
  [bottom, top]: [number, number],
): Scale[] {
  const groups: { unit: Unit; side?: Side; traces: Trace[] }[] = [];
  const taken = (side: Side) => groups.some((g) => g.side === side);
  const own = (trace: Trace) =>
    groups.find((g) => g.unit === trace.unit && (!trace.side || g.side === trace.side));
  // What was put on a side comes first, so that it is there.
  for (const trace of [...traces.filter((t) => t.side), ...traces.filter((t) => !t.side)]) {
    const found = own(trace);
    if (found) found.traces.push(trace);
    else {
      const wanted = trace.side && !taken(trace.side) ? trace.side : undefined;
      const free = (["left", "right"] as const).find((side) => !taken(side));
      groups.push({ unit: trace.unit, side: wanted ?? free, traces: [trace] });
    }
  }
  return groups.map(({ unit, side, traces: own }) => {
    const look = side ? looks[side] : undefined;
    const log = look?.log ?? false;
    const points = own.flatMap((trace) => [trace.points, ...trace.behind]);
    const [low, high] = fixed(look, range(points, view, log), log);
    const scale = log ? scaleLog([low, high], [bottom, top]) : scaleLinear([low, high], [bottom, top]);
    const place = (value: number) => (log && !(value > 0) ? NaN : scale(value));
    return { unit, side, log, low, high, place, traces: own };
  });
}

/** A range as far as it was stated, and whole where it was not. */
function fixed(look: ScaleLook | undefined, [low, high]: [number, number], log: boolean): [number, number] {
  const usable = (value: number | null | undefined) => value != null && (!log || value > 0);
  const from = usable(look?.from) ? Number(look?.from) : low;
  const to = usable(look?.to) ? Number(look?.to) : high;
  if (from < to) return [from, to];
  if (usable(look?.from)) return log ? [from, 10 * from] : [from, from + (Math.abs(from) || 1)];
  return usable(look?.to) ? (log ? [to / 10, to] : [to - (Math.abs(to) || 1), to]) : [low, high];
}

/** Lowest and highest of what is in view, with a little room; decades around it on a logarithmic scale. */
function range(all: (Points | undefined)[], view: View, log: boolean): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (const points of all) {
    for (let i = 0; i < (points?.t.length ?? 0); i += 1) {
      const [t, y] = [points?.t[i] ?? NaN, points?.y[i] ?? NaN];
      if (t < view.from || t > view.to || !Number.isFinite(y) || (log && y <= 0)) continue;
      if (y < low) low = y;
      if (y > high) high = y;
    }
  }
  if (low > high) return log ? [0.1, 10] : [0, 1];
  if (log) {
    // What falls towards zero has no end; six decades are as many as a strip can show.
    const floor = Math.max(low, high * 1e-5);
    return [10 ** Math.floor(Math.log10(floor) - 1e-9), 10 ** Math.ceil(Math.log10(high) + 1e-9)];
  }
  const pad = 0.08 * (high - low) || 0.1 * Math.abs(high) || 1;
  return [low - pad, high + pad];
}

interface Tick {
  value: number;
  label: string;
}

/** Ticks at round steps with labels in one SI prefix; the unit goes to the topmost. */
export function ticks(
  { low, high, unit, log }: Pick<Scale, "low" | "high" | "unit" | "log">,
  count: number,
): Tick[] {
  if (log) {
    const decades = Math.round(Math.log10(high / low));
    const every = Math.max(1, Math.ceil(decades / count));
    const first = Math.ceil(Math.log10(low) - 1e-9);
    const powers = Array.from(
      { length: Math.floor(decades / every) + 1 },
      (_, k) => 10 ** (first + k * every),
    );
    return powers
      .filter((value) => value <= high * (1 + 1e-9))
      .map((value) => {
        const [factor, letter] = prefix(value, unit);
        return { value, label: `${Number((value / factor).toPrecision(3))}\u2009${letter}${symbol(unit)}` };
      });
  }
  const [factor, letter] = prefix(Math.max(Math.abs(low), Math.abs(high)), unit);
  const scale = scaleLinear([low / factor, high / factor], [0, 1]);
  const format = scale.tickFormat(count);
  const values = scale.ticks(count);
  return values.map((value, i) => ({
    value: value * factor,
    label: format(value) + (i === values.length - 1 ? `\u2009${letter}${symbol(unit)}` : ""),
  }));
}
