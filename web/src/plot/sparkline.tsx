import type { Points } from "../api/traces";

interface Props {
  points?: Points;
  width: number;
  height: number;
}

/** A signal's course at a glance: no axes, its own range. */
export function Sparkline({ points, width, height }: Props) {
  if (!points || points.t.length < 2) return <svg width={width} height={height} aria-hidden="true" />;
  const [from, to] = [points.t[0] ?? 0, points.t[points.t.length - 1] ?? 1];
  let [low, high] = [Infinity, -Infinity];
  for (const y of points.y) {
    low = Math.min(low, y);
    high = Math.max(high, y);
  }
  const x = (t: number) => ((width - 2) * (t - from)) / (to - from || 1) + 1;
  // What does not move runs through the middle.
  const y = (v: number) => (high > low ? height - 2 - ((height - 4) * (v - low)) / (high - low) : height / 2);
  const path = Array.from(
    points.t,
    (t, k) => `${k === 0 ? "M" : "L"}${x(t).toFixed(1)} ${y(points.y[k] ?? 0).toFixed(1)}`,
  );
  return (
    <svg width={width} height={height} aria-hidden="true" className="shrink-0">
      <path d={path.join("")} fill="none" stroke="var(--teal)" strokeWidth={1} />
    </svg>
  );
}
