import { ArrowUp, Minus, X } from "lucide-react";

import type { Run, Strip, StripTrace, Supply, Unit } from "../api/client";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";
import { StripLook } from "./striplook";
import { SignalTray } from "./tray";
import { signalsOf, withSignals } from "./usestrips";

interface Props {
  id: string;
  supply: Supply;
  run?: Run;
  strip: Strip;
  alone: boolean;
  first: boolean;
  unitOf: (signal: string) => Unit;
  colourOf: (trace: StripTrace) => number;
  onChange: (strip: Strip) => void;
  onEarlier: () => void;
  onRemove: () => void;
}

/** What can be done to one strip; shown while the pointer or the focus is there. */
export function StripControls(props: Props) {
  const { supply, run, strip, alone, first, onChange, onEarlier, onRemove } = props;
  const signals = signalsOf(strip);
  return (
    <div className="absolute top-0.5 right-0 flex bg-ground/80 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 has-[[data-state=open]]:opacity-100">
      <SignalTray
        label="Add a trace to this strip"
        short
        supply={supply}
        run={run}
        without={signals}
        onChoose={(signal) => onChange(withSignals(strip, [...signals, signal]))}
      />
      <StripLook {...props} />
      {signals.length > 1 && (
        <Menu
          trigger={
            <Button look="quiet" className="h-6 px-1" aria-label="Remove a trace" title="Remove a trace">
              <Minus size={13} />
            </Button>
          }
        >
          {signals.map((signal) => (
            <MenuItem
              key={signal}
              className="figures"
              onSelect={() =>
                onChange(
                  withSignals(
                    strip,
                    signals.filter((other) => other !== signal),
                  ),
                )
              }
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
