import { useEffect, useRef, useState, type KeyboardEvent } from "react";

import { useLine } from "../api/client";

interface Props {
  supply: string;
  onAdd: (text: string) => void;
  onClose: () => void;
}

/** A part typed in a phrase, completed as one types. */
export function AddLine({ supply, onAdd, onClose }: Props) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(-1);
  const field = useRef<HTMLInputElement>(null);
  const reading = useLine(supply, text).data;
  const completions = reading?.completions ?? [];
  useEffect(() => field.current?.focus(), []);
  const take = (completion: string) => {
    setText(completion);
    setAt(-1);
    field.current?.focus();
  };
  const onKey = (event: KeyboardEvent) => {
    const chosen = completions[at]?.text;
    const first = completions[0]?.text;
    if (event.key === "Escape") onClose();
    else if (event.key === "ArrowDown") setAt(Math.min(at + 1, completions.length - 1));
    else if (event.key === "ArrowUp") setAt(Math.max(at - 1, -1));
    else if (event.key === "Tab" && first) take(chosen ?? first);
    else if (event.key === "Enter" && chosen) take(chosen);
    else if (event.key === "Enter") {
      if (!reading?.summary) return;
      onAdd(text);
      setText("");
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div className="absolute top-10 right-2 left-2 z-20 rounded-md border border-copper bg-panel shadow-soft">
      <input
        ref={field}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(-1);
        }}
        onKeyDown={onKey}
        onBlur={(event) => !event.relatedTarget && text === "" && onClose()}
        aria-label="Part to add"
        placeholder="capacitor 100u from out to gnd"
        spellCheck={false}
        autoComplete="off"
        className="figures h-9 w-full rounded-md bg-transparent px-3"
      />
      <p className="px-3 pt-1 pb-1 text-xs" role="status">
        {reading?.summary ? (
          <span className="text-met">{reading.summary}. Enter adds it.</span>
        ) : (
          <span className="text-muted">{text ? reading?.problem : "Kind, values, nets. Tab completes."}</span>
        )}
      </p>
      {completions.length > 0 && (
        <ul className="flex flex-wrap gap-1 border-t border-hairline p-1" aria-label="Ways to go on">
          {completions.map((completion, i) => (
            <li key={completion.text}>
              <button
                type="button"
                tabIndex={-1}
                onMouseDown={(event) => event.preventDefault()}
                onClick={() => take(completion.text)}
                className={`figures rounded-sm px-2 py-0.5 text-xs ${i === Math.max(at, 0) ? "bg-copper-soft" : "hover:bg-ground"}`}
              >
                {completion.shown}
              </button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
