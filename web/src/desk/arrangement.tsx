import { Columns2, PanelBottom, Rows2, SquareActivity, Workflow } from "lucide-react";
import { ToggleGroup } from "radix-ui";
import { useEffect, useRef } from "react";

export type Arrangement = "beside" | "above" | "drawing" | "strips" | "numbers";

/** How the desk is arranged, each with its key. */
export const ARRANGEMENTS: { id: Arrangement; key: string; word: string; Icon: typeof Columns2 }[] = [
  { id: "beside", key: "1", word: "Drawing beside strips", Icon: Columns2 },
  { id: "above", key: "2", word: "Drawing above strips", Icon: Rows2 },
  { id: "drawing", key: "3", word: "Drawing alone", Icon: Workflow },
  { id: "strips", key: "4", word: "Strips alone", Icon: SquareActivity },
  { id: "numbers", key: "5", word: "Numbers alone", Icon: PanelBottom },
];

interface Props {
  value: Arrangement;
  onChange: (arrangement: Arrangement) => void;
}

/** The arrangements to choose from; one key each while nothing is typed. */
export function ArrangementSwitch({ value, onChange }: Props) {
  const latest = useRef(onChange);
  useEffect(() => {
    latest.current = onChange;
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (
        event.ctrlKey ||
        event.metaKey ||
        event.altKey ||
        target.closest("input, select, textarea, [role=dialog]")
      )
        return;
      const found = ARRANGEMENTS.find((a) => a.key === event.key);
      if (found) latest.current(found.id);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <ToggleGroup.Root
      type="single"
      value={value}
      onValueChange={(next) => next && onChange(next as Arrangement)}
      aria-label="Arrangement of the desk"
      className="flex"
    >
      {ARRANGEMENTS.map(({ id, key, word, Icon }) => (
        <ToggleGroup.Item
          key={id}
          value={id}
          aria-label={word}
          title={`${word} (${key})`}
          className="flex h-7 w-8 cursor-pointer items-center justify-center rounded-md text-muted hover:text-ink data-[state=on]:bg-copper-soft data-[state=on]:text-ink"
        >
          <Icon size={15} />
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
