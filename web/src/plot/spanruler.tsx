import { useRef, type KeyboardEvent, type PointerEvent } from "react";

import { LEFT, RIGHT, TIME, timeScale, type Axis, type View } from "./frame";

interface Props {
  view: View;
  width: number;
  span?: View;
  /** Places the ends snap to. */
  features: { from: number[]; to: number[] };
  onSpan: (span: View) => void;
  axis?: Axis;
}

/** The axis, and under it the bracket whose ends A and B are dragged or stepped by key. */
export function SpanRuler({ view, width, span, features, onSpan, axis = TIME }: Props) {
  const x = timeScale(view, width);
  const perPixel = (view.to - view.from) / Math.max(1, width - LEFT - RIGHT);
  const dragging = useRef<"from" | "to">(undefined);
  const move = (end: "from" | "to", t: number) => {
    if (!span) return;
    const next = { ...span, [end]: t };
    if (next.to > next.from) onSpan(next);
  };
  const onPointerMove = (event: PointerEvent<SVGGElement>) => {
    if (!dragging.current) return;
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
    const t = x.invert(event.clientX - (box?.left ?? 0));
    // Within six pixels of a peak, trough or crossing the end snaps to it.
    const near = features[dragging.current].find((f) => Math.abs(f - t) < 6 * perPixel);
    move(dragging.current, near ?? t);
  };
  const onKey = (end: "from" | "to") => (event: KeyboardEvent) => {
    if (!span || !["ArrowLeft", "ArrowRight", "Home", "End"].includes(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key === "Home" || event.key === "End") {
      move(end, event.key === "Home" ? view.from : view.to);
      return;
    }
    const forwards = event.key === "ArrowRight";
    const here = span[end];
    const slack = 1e-9 * (view.to - view.from);
    const features_ = features[end];
    const next = forwards
      ? features_.find((f) => f > here + slack)
      : features_.findLast((f) => f < here - slack);
    // Where nothing stands out, and with Shift, by a few pixels.
    const aside = here + (forwards ? 1 : -1) * 4 * perPixel;
    move(end, event.shiftKey ? aside : (next ?? aside));
  };
  const [a, b] = [span ? x(span.from) : 0, span ? x(span.to) : 0];
  const [left, right] = [LEFT, width - RIGHT];
  // An end beyond what is shown waits at the edge, saying where it is.
  const handle = (end: "from" | "to", at: number) => {
    const px = Math.max(left, Math.min(right, at));
    const beyond = at < left - 1 ? "◂" : at > right + 1 ? "▸" : "";
    const name = end === "from" ? "A" : "B";
    return (
      <g
        role="slider"
        tabIndex={0}
        aria-label={end === "from" ? "Span start A" : "Span end B"}
        aria-valuenow={span?.[end]}
        aria-valuetext={span && axis.said(span[end])}
        className="cursor-ew-resize"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          dragging.current = end;
        }}
        onPointerMove={onPointerMove}
        onPointerUp={() => (dragging.current = undefined)}
        onKeyDown={onKey(end)}
      >
        <rect x={px - 8} y={18} width={16} height={22} fill="transparent" />
        {!beyond && <path d={`M${px} 20 V38`} stroke="var(--copper)" strokeWidth={2} />}
        <text
          x={end === "from" ? px - 5 : px + 5}
          y={34}
          textAnchor={end === "from" ? "end" : "start"}
          fontSize={12}
          fontWeight={600}
          fill="var(--copper)"
        >
          {beyond === "◂" ? beyond + name : name + beyond}
        </text>
      </g>
    );
  };
  return (
    <svg width={width} height={42} role="group" aria-label={axis.name} className="block shrink-0">
      {axis.ticks(view, width).map((tick) => (
        <text
          key={tick.x}
          x={tick.x}
          y={12}
          textAnchor="middle"
          fontSize={11}
          className="figures"
          fill="var(--muted)"
        >
          {tick.label}
        </text>
      ))}
      {span && (
        <>
          <line
            x1={Math.max(LEFT, a)}
            x2={Math.min(width - RIGHT, b)}
            y1={29}
            y2={29}
            stroke="var(--copper)"
            strokeWidth={1.5}
          />
          {handle("from", a)}
          {handle("to", b)}
          <text x={width - 4} y={25} textAnchor="end" fontSize={11} className="figures" fill="var(--ink)">
            {axis.between(span)[0]}
          </text>
          <text x={width - 4} y={38} textAnchor="end" fontSize={11} className="figures" fill="var(--muted)">
            {axis.between(span)[1]}
          </text>
        </>
      )}
    </svg>
  );
}
