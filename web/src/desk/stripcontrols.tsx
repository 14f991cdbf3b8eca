import { ArrowUp, Minus, X } from "lucide-react";

import { nameOf, type Run, type Supply } from "../api/client";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";
import { SignalTray } from "./tray";

interface Props {
  supply: Supply;
  run?: Run;
  strip: string[];
  alone: boolean;
  first: boolean;
  onChange: (strip: string[]) => void;
  onEarlier: () => void;
  onRemove: () => void;
}

/** What can be done to one strip; shown while the pointer or the focus is there. */
export function StripControls({ supply, run, strip, alone, first, onChange, onEarlier, onRemove }: Props) {
  return (
    <div className="absolute top-0.5 right-0 flex bg-ground/80 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
      <SignalTray
        label="Add a trace to this strip"
        short
        supply={supply}
        run={run}
        without={strip}
        onChoose={(signal) => onChange([...strip, signal])}
      />
      {strip.length > 1 && (
        <Menu
          trigger={
            <Button look="quiet" className="h-6 px-1" aria-label="Remove a trace" title="Remove a trace">
              <Minus size={13} />
            </Button>
          }
        >
          {strip.map((signal) => (
            <MenuItem
              key={signal}
              className="figures"
              onSelect={() => onChange(strip.filter((other) => other !== signal))}
            >
              {signal}
            </MenuItem>
          ))}
        </Menu>
      )}
      {!first && (
        <Button
          look="quiet"
          className="h-6 px-1"
          aria-label="Move this strip up"
          title="Move this strip up"
          onClick={onEarlier}
        >
          <ArrowUp size={13} />
        </Button>
      )}
      {!alone && (
        <Button
          look="quiet"
          className="h-6 px-1"
          aria-label="Remove this strip"
          title="Remove this strip"
          onClick={onRemove}
        >
          <X size={13} />
        </Button>
      )}
    </div>
  );
}

interface ReferenceProps {
  runs: Run[];
  value: string;
  onChoose: (run: string) => void;
}

/** The run that stands behind the traces, if any. */
export function ReferenceMenu({ runs, value, onChoose }: ReferenceProps) {
  if (runs.length === 0) return null;
  return (
    <label className="flex items-center gap-1">
      Behind
      <select
        aria-label="Run behind the traces"
        title="Draws the traces of another run thinner and paler behind"
        value={value}
        onChange={(event) => onChoose(event.target.value)}
        className="h-6 max-w-44 rounded-md border border-hairline bg-panel px-1"
      >
        <option value="">no other run</option>
        {runs.map((run) => (
          <option key={run.id} value={run.id}>
            {nameOf(run)}
            {run.marked && !run.measured ? " (kept)" : ""}
          </option>
        ))}
      </select>
    </label>
  );
}
