import type { Run } from "../api/client";

/** Whole seconds a run still takes if it goes on as it did. */
export function secondsLeft(run: Run, part: number): number | undefined {
  if (!run.started_at || part < 0.02) return undefined;
  const spent = (Date.now() - Date.parse(run.started_at)) / 1000;
  return Math.max(1, Math.round((spent * (1 - part)) / part));
}
