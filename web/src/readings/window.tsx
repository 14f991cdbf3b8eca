import type { Supply } from "../api/client";
import { FIELD } from "../ui/field";
import { EventFields, Named, type Event } from "./event";
import { signalNames, usualWindow, type Reading } from "./draft";

type Window = NonNullable<Reading["window"]>;

const KINDS = {
  whole_run: "the whole run",
  last_periods: "the last periods",
  between: "two times",
  around_step: "what changes",
  after_settled: "what follows once it has settled",
  between_events: "from one event to another",
};
type Kind = keyof typeof KINDS;

function kindOf(window: Window): Kind {
  return typeof window === "string" ? window : (Object.keys(window)[0] as Kind);
}

/** Kinds of parts that change while a run goes on. */
const CHANGING = new Set([
  "stepped_load",
  "timed_switch",
  "pulse_source",
  "exponential_source",
  "piecewise_source",
]);

/** Whether a part changes while a run goes on: a sine does if it is told to. */
function changes(part: NonNullable<Supply["parts"]>[number]) {
  return CHANGING.has(part.kind) || (part.kind === "sine_source" && "changes_to" in (part.parameters ?? {}));
}

interface Props {
  supply: Supply;
  window: Window;
  onChange: (window: Window) => void;
}

/** Over which part of the run a reading is taken. */
export function WindowFields({ supply, window, onChange }: Props) {
  const kind = kindOf(window);
  const changing = supply.parts?.filter(changes) ?? [];
  const begin = (next: Kind) => {
    if (next === "whole_run") onChange("whole_run");
    if (next === "between") onChange({ between: { from: "0", to: "10m" } });
    if (next === "last_periods") {
      const usual = usualWindow(supply);
      onChange(typeof usual === "object" ? usual : { last_periods: { count: 5 } });
    }
    if (next === "around_step") onChange({ around_step: { of: changing[0]?.id } });
    if (next === "after_settled") onChange({ after_settled: {} });
    if (next === "between_events") {
      const crossing = { signal: signalNames(supply)[0] ?? "", level: "0", direction: "rising", number: 1 };
      onChange({ between_events: { from: { crossing } as Event, to: { time: "10m" } } });
    }
  };
  const text = (label: string, value: string, placeholder: string, set: (text: string) => void) => (
    <input
      aria-label={label}
      value={value}
      placeholder={placeholder}
      spellCheck={false}
      onChange={(event) => set(event.target.value)}
      className={`figures w-20 ${FIELD}`}
    />
  );
  return (
    <span className="flex flex-wrap items-center gap-2">
      <select
        aria-label="Window"
        value={kind}
        onChange={(event) => begin(event.target.value as Kind)}
        className={FIELD}
      >
        {Object.entries(KINDS)
          .filter(([id]) => id !== "around_step" || changing.length > 0 || kind === "around_step")
          .map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
      </select>
      {typeof window === "object" && "between" in window && (
        <>
          {text("Window from, seconds", window.between.from, "0", (from) =>
            onChange({ between: { ...window.between, from } }),
          )}
          <span className="text-muted">to</span>
          {text("Window to, seconds", window.between.to, "10m", (to) =>
            onChange({ between: { ...window.between, to } }),
          )}
          <span className="text-muted">s</span>
        </>
      )}
      {typeof window === "object" && "last_periods" in window && (
        <>
          {text("Periods", String(window.last_periods.count), "5", (count) =>
            onChange({ last_periods: { ...window.last_periods, count: Math.max(0, Number(count) || 0) } }),
          )}
          <span className="text-muted">of {window.last_periods.period_of ?? "the source"}</span>
        </>
      )}
      {typeof window === "object" && "after_settled" in window && (
        <>
          <Named
            label="Signal that has to settle"
            supply={supply}
            value={window.after_settled.of ?? ""}
            placeholder="the signal"
            onChange={(of) => onChange({ after_settled: { ...window.after_settled, of: of || undefined } })}
          />
          <span className="text-muted">within</span>
          {text("Band", window.after_settled.band ?? "", "2 %", (band) =>
            onChange({ after_settled: { ...window.after_settled, band: band || undefined } }),
          )}
          <span className="text-muted">of its end</span>
        </>
      )}
      {typeof window === "object" && "between_events" in window && (
        <span className="grid gap-1">
          {(["from", "to"] as const).map((end) => (
            <EventFields
              key={end}
              end={end}
              supply={supply}
              changing={changing.map((p) => p.id)}
              event={window.between_events[end]}
              onChange={(event) => onChange({ between_events: { ...window.between_events, [end]: event } })}
            />
          ))}
        </span>
      )}
      {typeof window === "object" && "around_step" in window && (
        <>
          <select
            aria-label="What changes"
            value={window.around_step.of ?? ""}
            onChange={(event) => onChange({ around_step: { ...window.around_step, of: event.target.value } })}
            className={FIELD}
          >
            {changing.map((p) => (
              <option key={p.id} value={p.id}>
                {p.id}
              </option>
            ))}
          </select>
          <span className="text-muted">from</span>
          {text("Time before, seconds", window.around_step.before ?? "", "0", (before) =>
            onChange({ around_step: { ...window.around_step, before: before || undefined } }),
          )}
          <span className="text-muted">s before to</span>
          {text("Time after, seconds", window.around_step.after ?? "", "the end", (after) =>
            onChange({ around_step: { ...window.around_step, after: after || undefined } }),
          )}
          <span className="text-muted">s after</span>
        </>
      )}
    </span>
  );
}
