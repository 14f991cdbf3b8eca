import { useEffect, useRef, useState, type KeyboardEvent } from "react";

import type { Size, View } from "../plot/frame";
import { zoomed } from "../plot/strip";

/** The window and the span that were chosen, and the last place to look at that was followed. */
export interface Seen {
  view?: View;
  span?: View;
  followed?: number;
}

/** The room strips have, as it changes. */
export function useArea() {
  const area = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState<Size>({ width: 0, height: 0 });
  useEffect(() => {
    const element = area.current;
    if (!element) return;
    const observer = new ResizeObserver(() =>
      setSize({ width: element.clientWidth, height: element.clientHeight }),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [area, size] as const;
}

/** What the user has chosen, once they have stopped changing it; what nobody chose does not wait. */
export function useSettled<T>(chosen: T | undefined, delay: number): T | undefined {
  const [settled, setSettled] = useState(chosen);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(chosen), delay);
    return () => clearTimeout(timer);
  }, [chosen, delay]);
  return chosen && settled;
}

/** Arrows pan, + and − zoom, 0 shows all; what opens over the strips has keys of its own. */
export function onViewKey(event: KeyboardEvent, view: View, onView: (view: View | undefined) => void) {
  if ((event.target as HTMLElement).closest("input, select, [role=dialog], [role=menu]")) return;
  const length = view.to - view.from;
  const middle = (view.from + view.to) / 2;
  const next: Record<string, View | undefined> = {
    ArrowLeft: { from: view.from - 0.1 * length, to: view.to - 0.1 * length },
    ArrowRight: { from: view.from + 0.1 * length, to: view.to + 0.1 * length },
    "+": zoomed(view, middle, 0.7),
    "-": zoomed(view, middle, 1 / 0.7),
  };
  if (event.key === "0") onView(undefined);
  else if (next[event.key]) onView(next[event.key]);
  else return;
  event.preventDefault();
}
