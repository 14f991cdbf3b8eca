import { useEffect, useRef } from "react";

import { LEFT, RIGHT, timeScale, type Size, type View } from "./frame";
import type { Draw } from "./pen";
import { Plot } from "./plot";

interface Props {
  signals: string[];
  draw: Draw;
  view: View;
  size: Size;
  onView: (view: View) => void;
  onFull: () => void;
  onSpan: (span: View) => void;
}

/** One plot over time: wheel zooms, drag pans, Shift-drag sets the span, double click shows everything. */
export function Strip({ signals, draw, view, size, onView, onFull, onSpan }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const drag = useRef<{ x: number; view: View; at: number; spanning: boolean }>(undefined);

  // React's wheel listeners are passive; zooming has to keep the page still.
  const latest = useRef({ view, size, onView });
  useEffect(() => {
    latest.current = { view, size, onView };
  });
  useEffect(() => {
    const element = canvas.current;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const { view, size, onView } = latest.current;
      const at = timeScale(view, size.width).invert(event.offsetX);
      onView(zoomed(view, at, Math.exp(event.deltaY * 0.0015)));
    };
    element?.addEventListener("wheel", onWheel, { passive: false });
    return () => element?.removeEventListener("wheel", onWheel);
  }, []);

  const perPixel = (view.to - view.from) / Math.max(1, size.width - LEFT - RIGHT);
  return (
    <Plot
      ref={canvas}
      size={size}
      draw={draw}
      label={`Plot of ${signals.join(", ")}`}
      className="block cursor-grab touch-none active:cursor-grabbing"
      onDoubleClick={onFull}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = timeScale(view, size.width).invert(event.nativeEvent.offsetX);
        drag.current = { x: event.clientX, view, at, spanning: event.shiftKey };
      }}
      onPointerMove={(event) => {
        const start = drag.current;
        if (!start) return;
        const moved = (event.clientX - start.x) * perPixel;
        if (start.spanning) {
          const [from, to] = [start.at, start.at + moved].sort((a, b) => a - b) as [number, number];
          if (to > from) onSpan({ from, to });
        } else {
          onView({ from: start.view.from - moved, to: start.view.to - moved });
        }
      }}
      onPointerUp={() => (drag.current = undefined)}
      onPointerCancel={() => (drag.current = undefined)}
    />
  );
}

export function zoomed(view: View, at: number, factor: number): View {
  return { from: at - (at - view.from) * factor, to: at + (view.to - at) * factor };
}
