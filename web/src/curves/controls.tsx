import { Minus, Plus, X } from "lucide-react";
import { useState } from "react";

import type { Strip } from "../api/client";
import { Grip } from "../strips/grip";
import type { Moves } from "../strips/stack";
import { signalsOf, withSignals } from "../strips/usestrips";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { Menu, MenuItem } from "../ui/menu";
import { Sheet } from "../ui/popover";
import { lookOf, type CurveLook, type Side } from "./sides";

const SIDES: Record<Side, string> = {
  magnitude: "magnitude",
  phase: "phase",
  delay: "group delay",
  plane: "complex plane",
};

interface Props extends Moves {
  strip: Strip;
  /** Curves the study asks for. */
  offered: string[];
}

/** What can be done to a strip of curves: what of them it shows, which, where it stands. */
export function CurveControls(props: Props) {
  const { strip, offered, onChange } = props;
  const curves = signalsOf(strip);
  const look = lookOf(strip);
  const of = curves.join(", ") || "the empty strip";
  const set = (next: CurveLook) => onChange({ ...strip, shows: { curve: next } });
  return (
    <div className="absolute top-0.5 right-0 flex items-center bg-ground/80 text-xs opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 has-[[data-state=open]]:opacity-100">
      <select
        aria-label={`What of ${of} is shown`}
        value={look.side}
        onChange={(event) => set({ ...look, side: event.target.value as Side })}
        className={`h-6 ${FIELD} px-1 text-xs`}
      >
        {(Object.keys(SIDES) as Side[]).map((side) => (
          <option key={side} value={side}>
            {SIDES[side]}
          </option>
        ))}
      </select>
      {look.side === "magnitude" && (
        <Button
          look="quiet"
          className="h-6 px-1 text-xs"
          aria-pressed={look.decibels ?? false}
          title={look.decibels ? "Show it on a logarithmic scale in its unit" : "Show it in decibels"}
          onClick={() => set({ ...look, decibels: !look.decibels })}
        >
          {look.decibels ? "dB" : "log"}
        </Button>
      )}
      {look.side === "phase" && (
        <Button
          look="quiet"
          className="h-6 px-1 text-xs"
          aria-pressed={look.wrapped ?? false}
          title={look.wrapped ? "Let the phase go on without jumps" : "Keep the phase within ±180°"}
          onClick={() => set({ ...look, wrapped: !look.wrapped })}
        >
          {look.wrapped ? "±180°" : "without jumps"}
        </Button>
      )}
      <CurveChoice
        label="Add a curve to this strip"
        short
        offered={offered.filter((curve) => !curves.includes(curve))}
        onChoose={(curve) => onChange(withSignals(strip, [...curves, curve]))}
      />
      {curves.length > 1 && (
        <Menu
          trigger={
            <Button
              look="quiet"
              className="h-6 px-1"
              aria-label={`Remove a curve of ${of}`}
              title="Remove a curve"
            >
              <Minus size={13} />
            </Button>
          }
        >
          {curves.map((curve) => (
            <MenuItem
              key={curve}
              className="figures"
              onSelect={() =>
                onChange(
                  withSignals(
                    strip,
                    curves.filter((other) => other !== curve),
                  ),
                )
              }
            >
              {curve}
            </MenuItem>
          ))}
        </Menu>
      )}
      {!props.alone && <Grip nth={props.nth} onOver={props.onOver} onMove={props.onMove} />}
      {!props.alone && (
        <Button
          look="quiet"
          className="h-6 px-1"
          aria-label={`Remove the strip of ${of}`}
          title={`Remove the strip of ${of}`}
          onClick={props.onRemove}
        >
          <X size={13} />
        </Button>
      )}
    </div>
  );
}

interface ChoiceProps {
  label: string;
  short?: boolean;
  offered: string[];
  onChoose: (curve: string) => void;
}

/** A curve of the study, or a formula of several. */
export function CurveChoice({ label, short, offered, onChoose }: ChoiceProps) {
  const [open, setOpen] = useState(false);
  const [formula, setFormula] = useState("");
  const choose = (curve: string) => {
    if (curve.trim() === "") return;
    setOpen(false);
    setFormula("");
    onChoose(curve.trim());
  };
  return (
    <Sheet
      label={label}
      open={open}
      onOpen={setOpen}
      className="grid w-72 gap-2 p-3 text-sm"
      trigger={
        <Button look="quiet" className="h-6 text-xs" aria-label={label} title={label}>
          <Plus size={13} /> {!short && label}
        </Button>
      }
    >
      <span className="flex flex-wrap gap-1">
        {offered.map((curve) => (
          <Button key={curve} className="figures h-7" onClick={() => choose(curve)}>
            {curve}
          </Button>
        ))}
      </span>
      <span className="flex gap-2">
        <input
          aria-label="Formula of curves"
          value={formula}
          placeholder="zout / (1 + loop)"
          spellCheck={false}
          onChange={(event) => setFormula(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && choose(formula)}
          className={`figures w-full min-w-0 ${FIELD}`}
        />
        <Button className="h-7" onClick={() => choose(formula)}>
          Show
        </Button>
      </span>
    </Sheet>
  );
}
