import { useId } from "react";

import type { Supply } from "../api/client";
import { FIELD } from "../ui/field";
import { signalNames, type Reading } from "./draft";

type Window = Exclude<NonNullable<Reading["window"]>, string>;
export type Event = Extract<Window, { between_events: unknown }>["between_events"]["from"];

const KINDS = { time: "at", crossing: "where", change: "where it changes:" };

interface Props {
  end: "from" | "to";
  supply: Supply;
  /** Parts that change while a run goes on. */
  changing: string[];
  event: Event;
  onChange: (event: Event) => void;
}

/** An instant of a run: a time, a part's change, a signal's passing through a level. */
export function EventFields({ end, supply, changing, event, onChange }: Props) {
  const kind = Object.keys(event)[0] as keyof typeof KINDS;
  const begin = (next: keyof typeof KINDS) => {
    if (next === "time") onChange({ time: "0" });
    if (next === "change") onChange({ change: changing[0] ?? "" });
    if (next === "crossing")
      onChange({
        crossing: { signal: signalNames(supply)[0] ?? "", level: "0", direction: "rising", number: 1 },
      });
  };
  const field = (label: string, value: string, width: string, set: (text: string) => void) => (
    <input
      aria-label={label}
      value={value}
      spellCheck={false}
      onChange={(e) => set(e.target.value)}
      className={`figures ${width} ${FIELD}`}
    />
  );
  return (
    <span className="flex flex-wrap items-center gap-1">
      <span className="w-9 text-muted">{end}</span>
      <select
        aria-label={`Event the window goes ${end}`}
        value={kind}
        onChange={(e) => begin(e.target.value as keyof typeof KINDS)}
        className={FIELD}
      >
        {Object.entries(KINDS)
          .filter(([id]) => id !== "change" || changing.length > 0 || kind === "change")
          .map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
      </select>
      {"time" in event && (
        <>
          {field(`Time ${end}, seconds`, event.time, "w-20", (time) => onChange({ time }))}
          <span className="text-muted">s</span>
        </>
      )}
      {"change" in event && (
        <select
          aria-label={`Part that changes, ${end}`}
          value={event.change}
          onChange={(e) => onChange({ change: e.target.value })}
          className={FIELD}
        >
          {changing.map((id) => (
            <option key={id}>{id}</option>
          ))}
        </select>
      )}
      {"crossing" in event && (
        <>
          <Named
            label={`Signal that crosses, ${end}`}
            supply={supply}
            value={event.crossing.signal}
            placeholder="out.v"
            onChange={(signal) => onChange({ crossing: { ...event.crossing, signal } })}
          />
          <select
            aria-label={`Way through the level, ${end}`}
            value={event.crossing.direction ?? "either"}
            onChange={(e) =>
              onChange({
                crossing: {
                  ...event.crossing,
                  direction: e.target.value as typeof event.crossing.direction,
                },
              })
            }
            className={FIELD}
          >
            <option value="rising">rises through</option>
            <option value="falling">falls through</option>
            <option value="either">crosses</option>
          </select>
          {field(`Level crossed, ${end}`, event.crossing.level, "w-16", (level) =>
            onChange({ crossing: { ...event.crossing, level } }),
          )}
          <span className="text-muted">time</span>
          {field(`Which crossing, ${end}`, String(event.crossing.number ?? 1), "w-10", (number) =>
            onChange({
              crossing: { ...event.crossing, number: Math.max(0, Math.floor(Number(number) || 0)) },
            }),
          )}
        </>
      )}
    </span>
  );
}

interface NamedProps {
  label: string;
  supply: Supply;
  value: string;
  placeholder: string;
  onChange: (signal: string) => void;
}

/** A signal by its name, with all there are offered. */
export function Named({ label, supply, value, placeholder, onChange }: NamedProps) {
  const list = useId();
  return (
    <>
      <input
        aria-label={label}
        value={value}
        list={list}
        placeholder={placeholder}
        spellCheck={false}
        onChange={(event) => onChange(event.target.value)}
        className={`figures w-32 ${FIELD}`}
      />
      <datalist id={list}>
        {signalNames(supply).map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
    </>
  );
}
