import { useState, type PointerEvent } from "react";

import type { Point, View } from "./view";
import type { Viewport } from "./viewport";

/** A pin: part and pin of it. */
export type End = [part: string, pin: string];

/** What the pointer is doing, from where it went down (grid squares) to where it is now. */
export type Gesture = { from: Point; at: Point; client: Point; far: boolean } & (
  | { kind: "move"; parts: string[]; part: string; extend: boolean }
  | { kind: "note"; note: number }
  | { kind: "net"; net: string }
  | { kind: "line"; pin: End }
  | { kind: "frame" }
  | { kind: "pan"; view: View; middle?: boolean }
);

/** What comes of a gesture. */
export interface Deeds {
  select: (parts: string[]) => void;
  selectWithin: (corner: Point, opposite: Point) => void;
  moveParts: (parts: string[], dx: number, dy: number) => void;
  moveNote: (note: number, dx: number, dy: number) => void;
  openNote: (note: number, client: Point) => void;
  openNet: (net: string, client: Point) => void;
  /** Joins a pin to another, or to a net. */
  join: (from: End, to: End | string) => void;
}

/** Pixels the pointer may wander before a click is a drag. */
const STEADY = 4;

/** What of the drawing an element belongs to. */
function belonging(element: Element | null) {
  const of = (name: string) => element?.closest(`[data-${name}]`)?.getAttribute(`data-${name}`) ?? undefined;
  return { part: of("part"), pin: of("pin"), net: of("net"), note: of("note") };
}

/** Grid squares a gesture has gone. */
export function gone({ from, at }: Gesture): [number, number] {
  return [Math.round(at.x - from.x), Math.round(at.y - from.y)];
}

/** What the pointer does in the drawing: parts, notes and the sheet are dragged, lines pulled from pins to
 * what they shall be joined to, frames drawn about what shall be chosen. */
export function useGestures(selected: string[], { view, grid, pan }: Viewport, deeds: Deeds) {
  const [gesture, setGesture] = useState<Gesture>();

  const begun = (event: PointerEvent): Gesture => {
    const from = grid(event);
    const base = { from, at: from, client: { x: event.clientX, y: event.clientY }, far: false };
    const { part, pin, net, note } = belonging(event.target as Element);
    if (part && pin && !event.shiftKey) return { ...base, kind: "line", pin: [part, pin] };
    if (part) {
      const extend = event.shiftKey;
      const parts = selected.includes(part) ? selected : extend ? [...selected, part] : [part];
      return { ...base, kind: "move", parts, part, extend };
    }
    if (note) return { ...base, kind: "note", note: Number(note) };
    if (net) return { ...base, kind: "net", net };
    return event.shiftKey ? { ...base, kind: "frame" } : { ...base, kind: "pan", view };
  };

  const dragged = (gesture: Gesture, event: PointerEvent) => {
    const [dx, dy] = gone(gesture);
    const still = dx === 0 && dy === 0;
    if (gesture.kind === "move" && !still) deeds.moveParts(gesture.parts, dx, dy);
    else if (gesture.kind === "note" && !still) deeds.moveNote(gesture.note, dx, dy);
    else if (gesture.kind === "frame") deeds.selectWithin(gesture.from, gesture.at);
    else if (gesture.kind === "line") {
      const { part, pin, net } = belonging(document.elementFromPoint(event.clientX, event.clientY));
      if (part && pin) deeds.join(gesture.pin, [part, pin]);
      else if (net) deeds.join(gesture.pin, net);
    }
  };

  const clicked = (gesture: Gesture) => {
    if (gesture.kind === "move") {
      const { part, extend } = gesture;
      const without = selected.filter((id) => id !== part);
      if (!extend) deeds.select([part]);
      else deeds.select(without.length < selected.length ? without : [...selected, part]);
    } else if (gesture.kind === "note") deeds.openNote(gesture.note, gesture.client);
    else if (gesture.kind === "net") deeds.openNet(gesture.net, gesture.client);
    else if (gesture.kind === "line") deeds.select([gesture.pin[0]]);
    else if (gesture.kind !== "pan" || !gesture.middle) deeds.select([]);
  };

  const handlers = {
    onPointerDown: (event: PointerEvent) => {
      if (event.button > 1) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      if (event.button === 0) setGesture(begun(event));
      else {
        // The middle button pans, whatever lies beneath.
        event.preventDefault();
        const from = grid(event);
        const client = { x: event.clientX, y: event.clientY };
        setGesture({ from, at: from, client, far: false, kind: "pan", view, middle: true });
      }
    },
    onPointerMove: (event: PointerEvent) => {
      if (!gesture) return;
      const [dx, dy] = [event.clientX - gesture.client.x, event.clientY - gesture.client.y];
      const far = gesture.far || Math.hypot(dx, dy) > STEADY;
      if (!far) return;
      if (gesture.kind === "pan") pan(gesture.view, dx, dy);
      setGesture({ ...gesture, at: grid(event), far });
    },
    onPointerUp: (event: PointerEvent) => {
      setGesture(undefined);
      if (gesture?.far) dragged(gesture, event);
      else if (gesture) clicked(gesture);
    },
    onPointerCancel: () => setGesture(undefined),
  };
  return { gesture: gesture?.far ? gesture : undefined, handlers };
}
