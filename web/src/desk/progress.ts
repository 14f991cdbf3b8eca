import type { Run, Supply } from "../api/client";

const FACTORS: Record<string, number> = {
  T: 1e12,
  G: 1e9,
  M: 1e6,
  k: 1e3,
  m: 1e-3,
  u: 1e-6,
  µ: 1e-6,
  n: 1e-9,
  p: 1e-12,
};

/** Duration of a study for the progress bar; what the run covers is decided by the server. */
export function durationOf(supply: Supply, study: string): number {
  const text = supply.studies?.find((s) => s.id === study)?.duration ?? "";
  const [, number = "", letter = ""] =
    /^\s*([\d.]+(?:e[+-]?\d+)?)\s*([TGMkmuµnp]?)\s*s?\s*$/.exec(text) ?? [];
  return number === "" ? 0 : Number(number) * (FACTORS[letter] ?? 1);
}

/** Whole seconds a run still takes if it goes on as it did. */
export function secondsLeft(run: Run, part: number): number | undefined {
  if (!run.started_at || part < 0.02) return undefined;
  const spent = (Date.now() - Date.parse(run.started_at)) / 1000;
  return Math.max(1, Math.round((spent * (1 - part)) / part));
}
