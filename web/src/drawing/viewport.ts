import { useEffect, useRef, useState, type RefObject } from "react";

import { letteringFor } from "./lettering";
import { centre, framed, scale, zoomed, type Box, type DrawingShown, type Point, type View } from "./view";

/** What the sheet is laid out for while it is zoomed or panned, and the box it lies in. */
interface Held {
  view: View;
  box: Box;
}

/** Milliseconds after which a zoomed or panned sheet is laid out anew. */
const SETTLED = 150;

export type Viewport = ReturnType<typeof useViewport>;

/** Zoom and pan of the drawing in its frame; as long as neither was used, it follows the drawing and the chosen
 * stage. Laying out a large drawing takes longer than a frame of the screen, so while it is zoomed or panned the
 * sheet as it was is shifted and stretched. */
export function useViewport(frame: RefObject<HTMLElement | null>, drawing: DrawingShown, stage?: string) {
  const room = useBox(frame);
  const [own, setOwn] = useState<View>();
  const [held, setHeld] = useState<Held>();
  const settling = useRef<ReturnType<typeof setTimeout>>(undefined);
  const [seen, setSeen] = useState(stage);
  if (seen !== stage) {
    setSeen(stage);
    setOwn(undefined);
    setHeld(undefined);
  }
  const around = (drawn: Pick<DrawingShown, "from" | "to">) => framed(drawn, drawing.parts, stage);
  const fitted = letteringFor(drawing, room, around);
  const view = own ?? around(fitted ?? drawing);
  const laidOut = held?.view ?? view;
  const grid = (client: { clientX: number; clientY: number }): Point => {
    const box = frame.current?.getBoundingClientRect();
    const { x, y } = centre(view);
    if (!box) return { x, y };
    const s = scale(view, box);
    return {
      x: x + (client.clientX - box.left - box.width / 2) / s,
      y: y + (client.clientY - box.top - box.height / 2) / s,
    };
  };
  const look = (next: View) => {
    const box = frame.current?.getBoundingClientRect();
    if (box) setHeld((held) => held ?? { view, box: { width: box.width, height: box.height } });
    setOwn(next);
    clearTimeout(settling.current);
    settling.current = setTimeout(() => setHeld(undefined), SETTLED);
  };
  const whole = framed(drawing, drawing.parts, undefined);
  const zoom = (factor: number, about?: Point) => look(zoomed(view, about ?? centre(view), factor, whole));
  /** Shifts a view by pixels. */
  const pan = (from: View, dx: number, dy: number) => {
    const box = frame.current?.getBoundingClientRect();
    const s = box ? scale(from, box) : 1;
    look({ ...from, x: from.x - dx / s, y: from.y - dy / s });
  };
  // React listens to the wheel passively, which cannot keep the page from scrolling.
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(Math.exp(0.0015 * event.deltaY), grid(event));
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  });
  useEffect(() => () => clearTimeout(settling.current), []);
  const { x, y, width, height } = laidOut;
  return {
    view,
    /** How texts are drawn so that they can be read. */
    lettering: own ? letteringFor(drawing, room, () => laidOut) : fitted,
    grid,
    zoom,
    pan,
    fit: () => {
      setHeld(undefined);
      setOwn(undefined);
    },
    /** What the sheet shows, and what is done to it as a whole. It reaches beyond its frame by a frame on every
     * side, so that there is something to be shifted into view. */
    sheet: {
      viewBox: `${x - width} ${y - height} ${3 * width} ${3 * height}`,
      style: { inset: "-100%", transform: held && shifted(held, view) },
    },
  };
}

/** What turns a sheet laid out for one view into another, about its middle. */
function shifted({ view: laidOut, box }: Held, view: View): string {
  const [was, is, s] = [centre(laidOut), centre(view), scale(view, box)];
  return `translate(${(was.x - is.x) * s}px, ${(was.y - is.y) * s}px) scale(${s / scale(laidOut, box)})`;
}

/** Room an element has, as it is laid out. */
function useBox(frame: RefObject<HTMLElement | null>): Box | undefined {
  const [box, setBox] = useState<Box>();
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry?.contentRect ?? { width: 0, height: 0 };
      if (width > 0 && height > 0) setBox({ width, height });
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, [frame]);
  return box;
}
