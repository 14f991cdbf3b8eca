import { useEffect, useState } from "react";

import { Window } from "../ui/dialog";

const KEYS: { where: string; keys: [string, string][] }[] = [
  {
    where: "Everywhere",
    keys: [
      ["?", "This list"],
      ["Ctrl Enter", "Run the study"],
      ["F6", "To the next pane; with Shift to the one before"],
      ["Ctrl Z", "Undo"],
      ["Ctrl Shift Z", "Redo"],
      ["Esc", "Choose nothing; show all stages"],
    ],
  },
  {
    where: "Desk",
    keys: [["1 … 5", "Arrange the desk"]],
  },
  {
    where: "Drawing",
    keys: [
      ["/", "Type a part to add"],
      ["+ and −", "Zoom"],
      ["0", "Show the whole drawing"],
      ["Arrows", "Move what is chosen"],
      ["T", "Turn"],
      ["M", "Mirror"],
      ["Delete", "Remove"],
      ["Ctrl A", "Choose all"],
      ["Ctrl C, V, D", "Copy, paste, duplicate"],
    ],
  },
  {
    where: "Strips",
    keys: [
      ["+ and −", "Zoom in time"],
      ["← and →", "Pan"],
      ["0", "Show the whole run"],
      ["← and → on A or B", "Move that end of the span"],
      ["↑ and ↓ on a grip", "Move the strip"],
      ["↑ and ↓ on an edge", "Make the strip lower or higher"],
    ],
  },
  {
    where: "Value fields",
    keys: [
      ["↑ and ↓", "Next preferred value"],
      ["Enter", "Take the value"],
      ["Esc", "Leave it as it was"],
    ],
  },
];

/** The keys, listed when `?` is pressed outside a field. */
export function KeySheet() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement;
      if (event.key === "?" && !typing) setOpen(true);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <>
      <button
        type="button"
        onClick={() => setOpen(true)}
        className="mx-1 mt-auto mb-2 rounded-md py-1 text-[11px] text-muted hover:text-ink"
      >
        Keys <kbd className="figures">?</kbd>
      </button>
      {open && (
        <Window
          title="Keys"
          close="Close the list of keys"
          onClose={() => setOpen(false)}
          className="w-[640px]"
        >
          <div className="grid overflow-auto p-4 grid-cols-2 gap-x-8 gap-y-3">
            {KEYS.map(({ where, keys }) => (
              <section key={where}>
                <h3 className="text-xs text-muted">{where}</h3>
                <dl>
                  {keys.map(([key, deed]) => (
                    <div key={key} className="flex justify-between gap-4 py-0.5">
                      <dt>
                        <kbd className="figures text-copper">{key}</kbd>
                      </dt>
                      <dd className="text-right">{deed}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
        </Window>
      )}
    </>
  );
}
