import { useMemo } from "react";

import type { Strip, Supply } from "../api/client";
import type { Editing } from "../frame/editing";

/** The strips of a study as they stay with the supply, and the way to arrange them anew. */
export function useStrips(supply: Supply, study: string, editing: Editing) {
  const strips = useMemo(() => supply.studies?.find((s) => s.id === study)?.strips ?? [], [supply, study]);
  const arrange = (what: string, next: Strip[]) =>
    editing.change(what, (document) => {
      const changed = document.studies?.find((s) => s.id === study);
      if (changed) changed.strips = next;
    });
  return [strips, arrange] as const;
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
