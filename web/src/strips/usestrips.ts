import { useMemo } from "react";

import type { Strip, Supply } from "../api/client";
import type { Editing } from "../frame/editing";

/** The strips of a study as they stay with the supply, and the way to arrange them anew. */
export function useStrips(supply: Supply, study: string, editing: Editing) {
  const strips = useMemo(() => supply.studies?.find((s) => s.id === study)?.strips ?? [], [supply, study]);
  const arrange = (what: string, next: Strip[]) =>
    void editing.change(what, (document) => {
      const changed = document.studies?.find((s) => s.id === study);
      if (changed) changed.strips = coloured(next, strips);
    });
  return [strips, arrange] as const;
}

/** The colours of signals in strips: their own, or by where they came. */
export function coloursIn(strips: Strip[]): Map<string, number> {
  const order = [...new Set(strips.flatMap(signalsOf))];
  const own = new Map(
    strips.flatMap((strip) => strip.traces.flatMap((t) => (t.colour == null ? [] : [[t.signal, t.colour]]))),
  );
  return new Map(order.map((signal, k) => [signal, own.get(signal) ?? k]));
}

/** The strips with the colours traces had before, wherever they stand by now; new ones take the first that is free. */
function coloured(strips: Strip[], before: Strip[]): Strip[] {
  const known = coloursIn(before);
  for (const trace of strips.flatMap((strip) => strip.traces)) {
    if (trace.colour != null) known.set(trace.signal, trace.colour);
  }
  for (const signal of strips.flatMap(signalsOf)) {
    const used = new Set(known.values());
    const free = (k: number): number => (used.has(k) ? free(k + 1) : k);
    if (!known.has(signal)) known.set(signal, free(0));
  }
  return strips.map((strip) => ({
    ...strip,
    traces: strip.traces.map((trace) => ({ ...trace, colour: trace.colour ?? known.get(trace.signal) })),
  }));
}

/** A strip of signals over time. */
export function stripOf(...signals: string[]): Strip {
  return { traces: signals.map((signal) => ({ signal })) };
}

/** The signals a strip draws. */
export function signalsOf(strip: Strip): string[] {
  return strip.traces.map((trace) => trace.signal);
}

/** A strip with other signals; those that stay keep their looks. */
export function withSignals(strip: Strip, signals: string[]): Strip {
  const kept = (signal: string) => strip.traces.find((trace) => trace.signal === signal);
  return { ...strip, traces: signals.map((signal) => kept(signal) ?? { signal }) };
}

/** Strips with one of them moved to the place of another. */
export function moved(strips: Strip[], from: number, to: number): Strip[] {
  const strip = strips[from];
  if (!strip || to < 0 || to >= strips.length) return strips;
  const others = strips.filter((_, k) => k !== from);
  return [...others.slice(0, to), strip, ...others.slice(to)];
}
