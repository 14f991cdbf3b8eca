interface Props {
  met: number;
  close: number;
  missed: number;
  not_tried?: number;
  /** Whether something that decides them was changed since. */
  stale?: boolean;
}

/** How many requirements are met, close and missed. */
export function Tally({ met, close, missed, not_tried = 0, stale = false }: Props) {
  const parts = [
    { count: met, word: "met", look: "text-met" },
    { count: close, word: "close", look: "text-close" },
    { count: missed, word: "missed", look: "text-missed" },
    { count: not_tried, word: "not yet tried", look: "text-muted" },
  ].filter((part) => part.count > 0);
  return (
    <span className="flex flex-wrap gap-x-2.5 font-semibold">
      {parts.map((part) => (
        <span key={part.word} className={`whitespace-nowrap ${part.look}`}>
          {part.count} {part.word}
        </span>
      ))}
      {stale && <span className="font-normal text-muted">before the latest change</span>}
    </span>
  );
}
