/** Per cents from which on a value is said by itself. */
const MOST = 10_000;

/** What became of a value, per cent. */
export function change(now: number | null | undefined, then: number | null | undefined): string {
  if (now == null || then == null || then === 0) return "";
  const relative = 100 * (now / then - 1);
  // Of next to nothing per cents say nothing.
  if (Math.abs(relative) > MOST) return "";
  if (Math.abs(relative) < 0.005) return "same";
  const figure = Math.abs(relative) < 10 ? Math.abs(relative).toPrecision(2) : Math.abs(relative).toFixed(0);
  return `${relative < 0 ? "−" : "+"}${figure}\u2009%`;
}
