import { ClipboardCheck, GitCompareArrows, History, ListOrdered, SquareActivity } from "lucide-react";
import { Link } from "react-router";

import { KeySheet } from "./keysheet";

const VIEWS = [
  { id: "requirements", word: "Requirements", Icon: ClipboardCheck },
  { id: "desk", word: "Desk", Icon: SquareActivity },
  { id: "compare", word: "Compare", Icon: GitCompareArrows },
  { id: "materials", word: "Materials", Icon: ListOrdered },
  { id: "history", word: "History", Icon: History },
];

/** The views of a supply. */
export function Rail({ supply, view }: { supply: string; view: string }) {
  return (
    <nav
      data-pane
      aria-label="Views"
      className="flex w-20 shrink-0 flex-col gap-1 border-r border-hairline bg-panel pt-2"
    >
      {VIEWS.map(({ id, word, Icon }) => (
        <Link
          key={id}
          to={`/supplies/${supply}/${id}`}
          aria-current={id === view ? "page" : undefined}
          className={`mx-1 flex flex-col items-center gap-0.5 rounded-md py-2 text-[11px] leading-4 ${
            id === view ? "bg-copper-soft text-ink" : "text-muted hover:text-ink"
          }`}
        >
          <Icon size={18} aria-hidden="true" />
          {word}
        </Link>
      ))}
      <KeySheet />
    </nav>
  );
}
