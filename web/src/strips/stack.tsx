import { useMemo, useState, type ReactNode } from "react";

import type { Strip } from "../api/client";
import type { Size } from "../plot/frame";
import { Edge, heightsOf } from "./edge";
import { moved } from "./usestrips";

/** What can be done to a strip among others. */
export interface Moves {
  nth: number;
  alone: boolean;
  onChange: (strip: Strip) => void;
  onOver: (place: number | undefined) => void;
  onMove: (place: number) => void;
  onRemove: () => void;
}

interface Props {
  strips: Strip[];
  size: Size;
  onStrips: (strips: Strip[]) => void;
  /** What stands in a strip, with its size and what can be done to it. */
  children: (strip: Strip, size: Size, moves: Moves) => ReactNode;
}

/** Strips one above the other, each as high as its share, pulled at its lower edge and dragged to the place of another. */
export function Stack({ strips, size, onStrips, children }: Props) {
  const [pulled, setPulled] = useState<{ strip: number; share: number }>();
  // The place a strip that is dragged would go to.
  const [over, setOver] = useState<number>();
  const shareOf = (strip: Strip, i: number) => (pulled?.strip === i ? pulled.share : (strip.height ?? 1));
  const shares = strips.map(shareOf).join(" ");
  const sizes = useMemo(
    () =>
      heightsOf(shares.split(" ").map(Number), size.height).map((height) => ({
        width: size.width,
        height: height - 1,
      })),
    [shares, size.height, size.width],
  );
  return strips.map((strip, i) => {
    const own = sizes[i] ?? size;
    const onChange = (next: Strip) => onStrips(strips.map((other, k) => (k === i ? next : other)));
    return (
      <div
        key={i}
        data-strip={i}
        className={`group relative border-b border-hairline ${over === i ? "bg-copper-soft" : ""}`}
      >
        {children(strip, own, {
          nth: i,
          alone: strips.length === 1,
          onChange,
          onOver: setOver,
          onMove: (to) => onStrips(moved(strips, i, to)),
          onRemove: () => onStrips(strips.filter((_, k) => k !== i)),
        })}
        <Edge
          nth={i}
          share={strip.height ?? 1}
          perShare={(own.height + 1) / shareOf(strip, i)}
          onPull={(share) => setPulled({ strip: i, share })}
          onLeave={(share) => {
            setPulled(undefined);
            onChange({ ...strip, height: share });
          }}
        />
      </div>
    );
  });
}
