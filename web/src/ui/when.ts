const UNITS: [Intl.RelativeTimeFormatUnit, number][] = [
  ["day", 86_400],
  ["hour", 3600],
  ["minute", 60],
];
/** Seconds up to which a time is told by how long ago it was. */
const RECENT = 86_400;

/** A time as it is read: by how long ago where that is recent, else the day and the minute, as this place writes them. */
export function when(time: string, now = Date.now()): string {
  const then = new Date(time);
  const ago = (now - then.getTime()) / 1000;
  if (ago < 45) return "just now";
  const [unit, seconds] = UNITS.find(([, seconds]) => ago >= seconds) ?? ["minute", 60];
  if (ago < RECENT) {
    return new Intl.RelativeTimeFormat(undefined, { numeric: "auto" }).format(
      -Math.round(ago / seconds),
      unit,
    );
  }
  return then.toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
}
