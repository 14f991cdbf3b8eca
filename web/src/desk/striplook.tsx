import { SlidersHorizontal } from "lucide-react";
import { useState } from "react";

import { evaluateEntry, type Strip, type StripTrace, type Supply, type Unit } from "../api/client";
import { traceColour } from "../plot/frame";
import { signalNames } from "../readings/draft";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { Sheet } from "../ui/popover";
import { ValueField } from "../ui/valuefield";

interface Props {
  id: string;
  supply: Supply;
  strip: Strip;
  /** The unit of each trace, as far as it is known. */
  unitOf: (signal: string) => Unit;
  colourOf: (trace: StripTrace) => number;
  onChange: (strip: Strip) => void;
}

type Shows = NonNullable<Strip["shows"]>;
type Scale = NonNullable<Strip["left"]>;
const SMALL = `${FIELD} h-6 px-1 text-xs`;

/** How a strip shows its traces: over time or otherwise, its scales, each trace's looks. */
export function StripLook(props: Props) {
  return (
    <Sheet
      label="Looks of this strip"
      className="grid w-[460px] gap-3 p-3 text-sm"
      trigger={
        <Button
          look="quiet"
          className="h-6 px-1"
          aria-label="Looks of this strip"
          title="Looks of this strip"
        >
          <SlidersHorizontal size={13} />
        </Button>
      }
    >
      <ShowsFields {...props} />
      {(props.strip.shows ?? "course") === "course" && <Scales {...props} />}
      <Traces {...props} />
    </Sheet>
  );
}

const WAYS = {
  course: "over time",
  spectrum: "over frequency, within the span",
  against: "against another signal, within the span",
  table: "in figures",
};

function ShowsFields({ id, supply, strip, onChange }: Props) {
  const shows = strip.shows ?? "course";
  const way = typeof shows === "string" ? shows : (Object.keys(shows)[0] as keyof typeof WAYS);
  const set = (next: Shows) => onChange({ ...strip, shows: next });
  const begin = (next: keyof typeof WAYS) => {
    if (next === "course" || next === "table") set(next);
    if (next === "spectrum") set({ spectrum: { taper: "hann" } });
    if (next === "against") set({ against: { x: signalNames(supply)[0] ?? "" } });
  };
  const spectrum = typeof shows === "object" && "spectrum" in shows ? shows.spectrum : undefined;
  const against = typeof shows === "object" && "against" in shows ? shows.against : undefined;
  return (
    <div className="grid gap-2 [&_label]:w-auto [&_label.shrink-0]:w-25">
      <label className="flex items-center gap-2">
        <span className="w-24 text-muted">Shown</span>
        <select
          aria-label="How the strip is shown"
          value={way}
          onChange={(event) => begin(event.target.value as keyof typeof WAYS)}
          className={FIELD}
        >
          {Object.entries(WAYS).map(([each, name]) => (
            <option key={each} value={each}>
              {name}
            </option>
          ))}
        </select>
      </label>
      {spectrum && (
        <>
          <label className="flex items-center gap-2">
            <span className="w-24 text-muted">Window</span>
            <select
              aria-label="Window of the spectrum"
              value={spectrum.taper ?? "none"}
              onChange={(event) =>
                set({ spectrum: { ...spectrum, taper: event.target.value as typeof spectrum.taper } })
              }
              className={FIELD}
            >
              <option value="none">rectangular: exact for whole periods</option>
              <option value="hann">Hann: for most signals</option>
              <option value="blackman_harris">Blackman–Harris: small beside large</option>
              <option value="flat_top">flat top: true amplitudes</option>
            </select>
          </label>
          <label className="flex items-center gap-2">
            <span className="w-24 text-muted">In decibels</span>
            <input
              type="checkbox"
              checked={spectrum.decibels ?? false}
              onChange={(event) => set({ spectrum: { ...spectrum, decibels: event.target.checked } })}
              className="accent-copper"
            />
          </label>
          <NumberField
            id={id}
            label="Up to"
            help="Highest frequency shown"
            unit="hertz"
            value={spectrum.up_to}
            fallback="the first 400 lines"
            onChange={(up_to) => set({ spectrum: { ...spectrum, up_to } })}
          />
        </>
      )}
      {against && (
        <label className="flex items-center gap-2">
          <span className="w-24 text-muted">Against</span>
          <input
            key={against.x}
            aria-label="Signal along the horizontal axis"
            defaultValue={against.x}
            list="signals-across"
            spellCheck={false}
            onBlur={(event) =>
              event.target.value.trim() && set({ against: { x: event.target.value.trim() } })
            }
            onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
            className={`figures w-56 ${FIELD}`}
          />
          <datalist id="signals-across">
            {signalNames(supply).map((name) => (
              <option key={name} value={name} />
            ))}
          </datalist>
        </label>
      )}
    </div>
  );
}

interface NumberProps {
  id: string;
  label: string;
  help: string;
  unit: Unit;
  value?: number | null;
  fallback: string;
  /** Why a value cannot be taken; nothing if it can. */
  refuse?: (value: number) => string | undefined;
  onChange: (value: number | undefined) => void;
}

/** A number with a unit, or nothing. */
function NumberField({ id, label, help, unit, value, fallback, refuse, onChange }: NumberProps) {
  const [problem, setProblem] = useState<string>();
  const text = value == null ? "" : String(value);
  const commit = async (typed: string) => {
    setProblem(undefined);
    if (typed === "") return onChange(undefined);
    const meaning = await evaluateEntry(id, typed, unit);
    if (meaning.value == null) return;
    const why = refuse?.(meaning.value);
    setProblem(why);
    if (why === undefined) onChange(meaning.value);
  };
  return (
    <div>
      <ValueField
        supply={id}
        label={label}
        help={help}
        unit={unit}
        text={text}
        fallback={fallback}
        onCommit={(typed) => void commit(typed)}
      />
      {problem && (
        <p role="alert" className="text-xs text-missed">
          {problem}
        </p>
      )}
    </div>
  );
}

/** The scales at the sides, each linear or logarithmic, fitted or fixed. */
function Scales({ id, strip, unitOf, onChange }: Props) {
  const unit = (side: "left" | "right"): Unit | undefined => {
    const put = strip.traces.find((trace) => trace.side === side);
    if (put) return unitOf(put.signal);
    const free = [...new Set(strip.traces.filter((t) => !t.side).map((t) => unitOf(t.signal)))];
    return side === "left" ? free[0] : free[1];
  };
  return (
    <div className="grid grid-cols-2 gap-3">
      {(["left", "right"] as const).map((side) => {
        const of = unit(side);
        if (!of) return null;
        const scale = strip[side] ?? {};
        const set = (next: Scale) => onChange({ ...strip, [side]: next });
        const end = (name: "from" | "to") => (
          <NumberField
            id={id}
            label={name === "from" ? "From" : "To"}
            help={`${name === "from" ? "Lowest" : "Highest"} value of the ${side} scale`}
            unit={of}
            value={scale[name]}
            fallback="fits itself"
            refuse={(value) => {
              const [from, to] = name === "from" ? [value, scale.to] : [scale.from, value];
              if (from == null || to == null || from < to) return undefined;
              return name === "to"
                ? "this is to lie above where the scale begins"
                : "this is to lie below its end";
            }}
            onChange={(value) => set({ ...scale, [name]: value })}
          />
        );
        return (
          <fieldset key={side} className="grid gap-1 [&_label]:w-12">
            <legend className="text-muted">{side === "left" ? "Left scale" : "Right scale"}</legend>
            {end("from")}
            {end("to")}
            <span className="flex items-center gap-2">
              <input
                type="checkbox"
                aria-label={`Logarithmic ${side} scale`}
                checked={scale.log ?? false}
                onChange={(event) => set({ ...scale, log: event.target.checked })}
                className="accent-copper"
              />
              logarithmic
            </span>
          </fieldset>
        );
      })}
    </div>
  );
}

/** Colour, weight, points and side of each trace. */
function Traces({ strip, colourOf, onChange }: Props) {
  const set = (signal: string, next: Partial<StripTrace>) =>
    onChange({ ...strip, traces: strip.traces.map((t) => (t.signal === signal ? { ...t, ...next } : t)) });
  if (strip.traces.length === 0) return <p className="text-muted">No traces yet; the + beside adds one.</p>;
  return (
    <table className="text-xs" aria-label="Looks of the traces">
      <thead className="text-left text-muted">
        <tr>
          {["Trace", "Colour", "Weight", "Points", "Scale"].map((head) => (
            <th key={head} className="pr-2 font-normal">
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {strip.traces.map((trace) => (
          <tr key={trace.signal}>
            <td className="figures max-w-28 truncate pr-2" title={trace.signal}>
              {trace.signal}
            </td>
            <td className="pr-2">
              <span className="flex gap-0.5" role="group" aria-label={`Colour of ${trace.signal}`}>
                {Array.from({ length: 8 }, (_, k) => (
                  <button
                    key={k}
                    type="button"
                    aria-label={`Colour ${k + 1}`}
                    aria-pressed={colourOf(trace) % 8 === k}
                    onClick={() => set(trace.signal, { colour: k })}
                    className="size-4 rounded-full border-2 border-panel aria-pressed:border-ink"
                    style={{ background: `var(${traceColour(k)})` }}
                  />
                ))}
              </span>
            </td>
            <td className="pr-2">
              <select
                aria-label={`Weight of ${trace.signal}`}
                value={trace.weight ?? "usual"}
                onChange={(event) =>
                  set(trace.signal, { weight: event.target.value as StripTrace["weight"] })
                }
                className={SMALL}
              >
                <option value="fine">fine</option>
                <option value="usual">usual</option>
                <option value="bold">bold</option>
              </select>
            </td>
            <td className="pr-2 text-center">
              <input
                type="checkbox"
                aria-label={`Mark the computed points of ${trace.signal}`}
                title="Marks the instants the engine computed, once they are far enough apart"
                checked={trace.points ?? false}
                onChange={(event) => set(trace.signal, { points: event.target.checked })}
                className="accent-copper"
              />
            </td>
            <td>
              <select
                aria-label={`Scale of ${trace.signal}`}
                value={trace.side ?? ""}
                onChange={(event) =>
                  set(trace.signal, { side: (event.target.value || undefined) as StripTrace["side"] })
                }
                className={SMALL}
              >
                <option value="">by its unit</option>
                <option value="left">left</option>
                <option value="right">right</option>
              </select>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
