import type { Strip as StripLook } from "../api/client";
import type { Points } from "../api/traces";
import type { Ink, Pen } from "./pen";
import { inkBehind, LEFT, RIGHT, timeScale, traceColour, type Size, type Trace, type View } from "./frame";
import { scalesOf, ticks, type Scale } from "./scales";

/** Above and beneath a plot. */
const EDGE = 4;

export interface Course {
  traces: Trace[];
  view: View;
  span?: View;
  looks: Pick<StripLook, "left" | "right">;
}

/** Dashes tell traces of one strip apart where colours do not. */
export const DASHES = [[], [7, 3], [2, 3], [9, 3, 2, 3]];

/** Draws traces over time: grid, axes, traces, and their names at the right end. */
export function drawCourse(pen: Pen, size: Size, { traces, view, span, looks }: Course) {
  const x = timeScale(view, size.width);
  const [right, bottom] = [size.width - RIGHT, size.height - EDGE];
  if (span) {
    const a = Math.max(LEFT, x(span.from));
    const width = Math.min(right, x(span.to)) - a;
    if (width > 0) pen.area(a, EDGE, width, bottom - EDGE, { colour: "--copper-soft", opacity: 0.6 });
  }
  for (const t of x.ticks(8)) {
    const at = Math.round(x(t)) + 0.5;
    pen.line([at, at], [EDGE, bottom], { colour: "--hairline" });
  }
  const scales = scalesOf(traces, view, looks, [bottom, EDGE]);
  scales.forEach((scale) => axis(pen, scale, size));
  pen.within(LEFT, 0, right - LEFT, size.height, () => {
    const stroke = (scale: Scale, points: Points | undefined, ink: Ink, marked: boolean) => {
      if (!points) return;
      const xs = Float64Array.from(points.t, (t) => x(t));
      const ys = Float64Array.from(points.y, (value) => scale.place(value));
      pen.line(xs, ys, ink);
      if (!marked) return;
      const only = (values: Float64Array) => values.map((v, k) => (points.node?.[k] ? v : NaN));
      pen.dots(only(xs), only(ys), { colour: ink.colour });
    };
    const each = (then: (trace: Trace, scale: Scale, dash: number[]) => void) =>
      scales.forEach((scale) =>
        scale.traces.forEach((trace) =>
          then(trace, scale, DASHES[traces.indexOf(trace) % DASHES.length] ?? []),
        ),
      );
    each((trace, scale, dash) =>
      trace.behind.forEach((points, k) => {
        const ink = inkBehind(trace.colour, k);
        stroke(scale, points, trace.behind.length > 1 ? ink : { ...ink, dash }, false);
      }),
    );
    each((trace, scale, dash) =>
      stroke(
        scale,
        trace.points,
        { colour: traceColour(trace.colour), width: trace.width, dash },
        trace.marked,
      ),
    );
  });
  pen.line([LEFT + 0.5, LEFT + 0.5], [EDGE, bottom], { colour: "--muted" });
  endLabels(pen, scales, view, size);
}

/** A scale's figures at its side, and the grid if it is the left one. */
function axis(pen: Pen, scale: Scale, size: Size) {
  const [right, bottom] = [size.width - RIGHT, size.height - EDGE];
  if (!scale.side) return;
  const left = scale.side === "left";
  for (const tick of ticks(scale, Math.max(3, Math.floor(size.height / 28)))) {
    const y = Math.round(scale.place(tick.value)) + 0.5;
    if (!(y >= EDGE - 1 && y <= bottom + 1)) continue;
    if (left) pen.line([LEFT, right], [y, y], { colour: tick.value === 0 ? "--muted" : "--hairline" });
    const middle = Math.min(Math.max(y, 9), bottom - 3);
    pen.text(tick.label, left ? LEFT - 6 : right + 4, middle, {
      colour: "--muted",
      align: left ? "right" : "left",
    });
  }
}

/** Names at the right end of each trace, moved apart where they would collide. */
function endLabels(pen: Pen, scales: Scale[], view: View, size: Size) {
  const ends = scales.flatMap((scale) =>
    scale.traces.map((trace) => {
      const { points } = trace;
      let k = (points?.t.length ?? 0) - 1;
      while (points && k > 0 && (points.t[k] ?? 0) > view.to) k -= 1;
      const y = points && k >= 0 ? scale.place(points.y[k] ?? NaN) : NaN;
      const shown = Number.isFinite(y) ? y : size.height / 2;
      return { trace, y: Math.min(Math.max(shown, 10), size.height - 10) };
    }),
  );
  ends.sort((a, b) => a.y - b.y);
  for (let i = 1; i < ends.length; i += 1) {
    const [above, here] = [ends[i - 1], ends[i]];
    if (above && here) here.y = Math.max(here.y, above.y + 13);
  }
  const overshoot = (ends[ends.length - 1]?.y ?? 0) - (size.height - 8);
  const offset = scales.some((scale) => scale.side === "right") ? 44 : 6;
  for (const { trace, y } of ends) {
    const lettering = { colour: traceColour(trace.colour), bold: true };
    pen.text(trace.signal, size.width - RIGHT + offset, y - Math.max(0, overshoot), lettering);
  }
}
