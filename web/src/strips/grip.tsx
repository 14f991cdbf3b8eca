import { GripVertical } from "lucide-react";
import { useRef } from "react";

import { Button } from "../ui/button";

interface Props {
  /** The strip's place. */
  nth: number;
  /** Called while it is dragged with the place it would go to; with none once it is let go. */
  onOver: (place: number | undefined) => void;
  onMove: (place: number) => void;
}

/** The place of the strip under the pointer. */
function placeAt(x: number, y: number): number | undefined {
  const strip = document.elementsFromPoint(x, y).find((element) => element.matches("[data-strip]"));
  return strip ? Number(strip.getAttribute("data-strip")) : undefined;
}

/** What a strip is moved with: dragged to the place of another, or stepped by key. */
export function Grip({ nth, onOver, onMove }: Props) {
  const dragged = useRef(false);
  return (
    <Button
      look="quiet"
      className="h-6 cursor-grab touch-none px-1 active:cursor-grabbing"
      aria-label="Move this strip"
      title="Move this strip: drag it, or press ↑ and ↓ here"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        dragged.current = true;
      }}
      onPointerMove={(event) => dragged.current && onOver(placeAt(event.clientX, event.clientY))}
      onPointerUp={(event) => {
        const place = placeAt(event.clientX, event.clientY);
        dragged.current = false;
        onOver(undefined);
        if (place !== undefined && place !== nth) onMove(place);
      }}
      onPointerCancel={() => {
        dragged.current = false;
        onOver(undefined);
      }}
      onKeyDown={(event) => {
        if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
        event.preventDefault();
        onMove(event.key === "ArrowUp" ? nth - 1 : nth + 1);
      }}
    >
      <GripVertical size={13} />
    </Button>
  );
}
