import type { KeyboardEvent } from "react";

/** What keys do in the drawing; `parts` are those they are meant for. */
export interface KeyDeeds {
  copy: (parts: string[]) => void;
  paste: () => void;
  duplicate: (parts: string[]) => void;
  selectAll: () => void;
  select: (parts: string[]) => void;
  openNet: (net: string, shape: Element) => void;
  addLine: () => void;
  zoom: (factor: number) => void;
  fit: () => void;
  move: (parts: string[], dx: number, dy: number) => void;
  turn: (parts: string[]) => void;
  mirror: (parts: string[]) => void;
  remove: (parts: string[]) => void;
}

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Does what a key says, to the part that has the focus if it is not chosen, else to what is chosen. */
export function onKey(event: KeyboardEvent, selected: string[], deeds: KeyDeeds) {
  // What is typed into a field of a card is not meant for the drawing.
  if (event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) return;
  const focused = (event.target as Element).closest("[data-part]")?.getAttribute("data-part");
  const parts = focused && !selected.includes(focused) ? [focused] : selected;
  const net = (event.target as Element).closest("[data-net]");
  const deed =
    net && (event.key === "Enter" || event.key === " ")
      ? () => deeds.openNet(net.getAttribute("data-net") ?? "", net)
      : chosen(event, focused, parts, selected, deeds);
  if (!deed) return;
  event.preventDefault();
  deed();
}

function chosen(
  { key, altKey, shiftKey, ctrlKey, metaKey }: KeyboardEvent,
  focused: string | null | undefined,
  parts: string[],
  selected: string[],
  deeds: KeyDeeds,
): (() => void) | undefined {
  const some = parts.length > 0;
  if (altKey) return undefined;
  if (ctrlKey || metaKey) {
    if (key === "v") return deeds.paste;
    if (key === "a") return deeds.selectAll;
    if (key === "c" && some) return () => deeds.copy(parts);
    if (key === "d" && some) return () => deeds.duplicate(parts);
    return undefined;
  }
  if (key === "/") return deeds.addLine;
  if (key === "+") return () => deeds.zoom(0.8);
  if (key === "-") return () => deeds.zoom(1.25);
  if (key === "0") return deeds.fit;
  if (!some) return undefined;
  const arrow = ARROWS[key];
  if (arrow) return () => deeds.move(parts, ...arrow);
  if ((key === "Enter" || key === " ") && focused) {
    return () => deeds.select(shiftKey ? [...new Set([...selected, focused])] : [focused]);
  }
  if (key === "t") return () => deeds.turn(parts);
  if (key === "m") return () => deeds.mirror(parts);
  if (key === "Delete") return () => deeds.remove(parts);
  return undefined;
}
