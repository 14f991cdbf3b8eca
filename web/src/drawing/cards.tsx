import { Trash2, X } from "lucide-react";
import { useEffect, useRef } from "react";

import { Tapped } from "../taps/tapped";
import { Button } from "../ui/button";

interface CardProps {
  at: { left: number; top: number };
  label: string;
  wide?: boolean;
  onClose: () => void;
  children: React.ReactNode;
}

/** A small card beside what was chosen in the drawing. */
function Card({ at, label, wide, onClose, children }: CardProps) {
  return (
    <div
      role="dialog"
      aria-label={label}
      className={`absolute z-20 rounded-md border border-hairline bg-panel p-2 shadow-soft ${wide ? "w-96" : "w-60"}`}
      style={at}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        event.stopPropagation();
        onClose();
      }}
    >
      {children}
    </div>
  );
}

interface NetProps {
  at: CardProps["at"];
  net: string;
  /** Pins on the net, as in C1 plus. */
  pins: string[];
  /** The other nets but the reference. */
  others: string[];
  onRename: (name: string) => void;
  onClose: () => void;
}

/** A net's name and what is on it. */
export function NetCard({ at, net, pins, others, onRename, onClose }: NetProps) {
  return (
    <Card at={at} label={`Net ${net}`} wide onClose={onClose}>
      <div className="flex items-center gap-1">
        <span className="text-muted">Net</span>
        <input
          defaultValue={net}
          aria-label="Name of the net"
          disabled={net === "gnd"}
          spellCheck={false}
          autoComplete="off"
          onKeyDown={(event) => {
            const name = event.currentTarget.value.trim();
            if (event.key === "Enter" && name && name !== net) onRename(name);
          }}
          className="figures h-7 min-w-0 grow rounded-md border border-hairline bg-transparent px-2 text-teal"
        />
        <Button look="quiet" aria-label="Close the card" onClick={onClose}>
          <X size={14} />
        </Button>
      </div>
      <p className="mt-1 text-xs text-muted">
        {net === "gnd" ? "The reference of the supply. " : ""}
        {pins.length} pins: {pins.slice(0, 12).join(", ")}
        {pins.length > 12 && " …"}
      </p>
      {net !== "gnd" && (
        <div className="mt-2 border-t border-hairline pt-2">
          <Tapped signals={[`${net}.v`]} others={others} />
        </div>
      )}
    </Card>
  );
}

interface NoteProps {
  at: CardProps["at"];
  text: string;
  onChange: (text: string) => void;
  onRemove: () => void;
  onClose: () => void;
}

/** A note's text. */
export function NoteCard({ at, text, onChange, onRemove, onClose }: NoteProps) {
  const field = useRef<HTMLTextAreaElement>(null);
  useEffect(() => {
    field.current?.focus();
    field.current?.select();
  }, []);
  const commit = () => {
    const typed = field.current?.value.trim() ?? "";
    if (typed && typed !== text) onChange(typed);
    onClose();
  };
  return (
    <Card at={at} label="Note" onClose={onClose}>
      <textarea
        ref={field}
        defaultValue={text}
        aria-label="Text of the note"
        rows={3}
        onKeyDown={(event) => event.key === "Enter" && event.ctrlKey && commit()}
        className="w-full rounded-md border border-hairline bg-transparent p-1"
      />
      <div className="mt-1 flex items-center gap-1">
        <Button look="quiet" aria-label="Remove the note" onClick={onRemove}>
          <Trash2 size={14} />
        </Button>
        <span className="grow" />
        <Button onClick={commit}>Done</Button>
      </div>
    </Card>
  );
}
