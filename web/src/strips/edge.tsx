import { useRef } from "react";

/** Lowest a strip gets, px, and how much higher or lower than others it may be made. */
const LOWEST = 70;
const SHARES = { least: 0.25, most: 8 };

/** Heights of strips by their shares, px: the room divided, but none too low to be read. */
export function heightsOf(shares: number[], room: number): number[] {
  const total = shares.reduce((sum, share) => sum + share, 0) || 1;
  return shares.map((share) => Math.max(LOWEST, Math.floor((room * share) / total)));
}

interface Props {
  nth: number;
  share: number;
  /** Height of one share, px. */
  perShare: number;
  onPull: (share: number) => void;
  onLeave: (share: number) => void;
}

/** The lower edge of a strip, which is pulled or stepped by key to make it higher or lower. */
export function Edge({ nth, share, perShare, onPull, onLeave }: Props) {
  const start = useRef<{ y: number; share: number; perShare: number }>(undefined);
  // Several steps by key are one change.
  const stepped = useRef<{ share: number; timer: ReturnType<typeof setTimeout> }>(undefined);
  const bounded = (next: number) =>
    Math.round(100 * Math.min(SHARES.most, Math.max(SHARES.least, next))) / 100;
  const pulled = (y: number) => {
    const from = start.current;
    return from ? bounded(from.share + (y - from.y) / from.perShare) : share;
  };
  return (
    <div
      role="separator"
      tabIndex={0}
      aria-orientation="horizontal"
      aria-label={`Height of strip ${nth + 1}`}
      aria-valuenow={Math.round(100 * share)}
      aria-valuemin={100 * SHARES.least}
      aria-valuemax={100 * SHARES.most}
      title="Pull to make the strip higher or lower"
      className="absolute inset-x-0 -bottom-1 z-10 h-2 cursor-ns-resize touch-none hover:bg-copper/30 focus-visible:bg-copper/30"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        start.current = { y: event.clientY, share, perShare };
      }}
      onPointerMove={(event) => start.current && onPull(pulled(event.clientY))}
      onPointerUp={(event) => {
        if (start.current) onLeave(pulled(event.clientY));
        start.current = undefined;
      }}
      onKeyDown={(event) => {
        if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
        event.preventDefault();
        const from = stepped.current?.share ?? share;
        const next = bounded(from * (event.key === "ArrowDown" ? 1.15 : 1 / 1.15));
        clearTimeout(stepped.current?.timer);
        const timer = setTimeout(() => {
          stepped.current = undefined;
          onLeave(next);
        }, 400);
        stepped.current = { share: next, timer };
        onPull(next);
      }}
    />
  );
}
