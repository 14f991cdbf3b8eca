import { Minus, X } from "lucide-react";

import type { Run, Strip, StripTrace, Supply, Unit } from "../api/client";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";
import { Grip } from "../strips/grip";
import type { Moves } from "../strips/stack";
import { StripLook } from "./striplook";
import { SignalTray } from "./tray";
import { signalsOf, withSignals } from "../strips/usestrips";

interface Props extends Moves {
  id: string;
  supply: Supply;
  run?: Run;
  strip: Strip;
  unitOf: (signal: string) => Unit;
  colourOf: (trace: StripTrace) => number;
}

/** What can be done to one strip; shown while the pointer or the focus is there. */
export function StripControls(props: Props) {
  const { supply, run, strip, alone, onChange, onRemove } = props;
  const signals = signalsOf(strip);
  const of = signals.join(", ") || "the empty strip";
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
            <Button
              look="quiet"
              className="h-6 px-1"
              aria-label={`Remove a trace of ${of}`}
              title="Remove a trace"
            >
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
      {!alone && <Grip nth={props.nth} onOver={props.onOver} onMove={props.onMove} />}
      {!alone && (
        <Button
          look="quiet"
          className="h-6 px-1"
          aria-label={`Remove the strip of ${of}`}
          title={`Remove the strip of ${of}`}
          onClick={onRemove}
        >
          <X size={13} />
        </Button>
      )}
    </div>
  );
}
