import { ArrowLeft, ArrowRight, Search } from "lucide-react";
import { useState } from "react";

import { evaluateEntry, isOver, type Run, type Unit } from "../api/client";
import { findCrossing } from "../api/traces";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { Sheet } from "../ui/popover";
import { show, symbol } from "../ui/quantity";

interface Props {
  id: string;
  run?: Run;
  signals: string[];
  unitOf: (signal: string) => Unit;
  /** Where the search begins, s. */
  at: number;
  onFound: (time: number) => void;
}

type Way = "either" | "rising" | "falling";

/** Looks for the next time a trace passes through a level, forwards or back from end A of the span. */
export function CrossingSearch(props: Props) {
  const { run, signals } = props;
  if (!run || !isOver(run) || signals.length === 0) return null;
  return (
    <Sheet
      label="Find where a trace crosses a level"
      className="grid w-[340px] gap-2 p-3 text-sm"
      trigger={
        <Button
          look="quiet"
          className="h-6 px-1"
          aria-label="Find where a trace crosses a level"
          title="Find where a trace crosses a level"
        >
          <Search size={13} />
        </Button>
      }
    >
      <Fields {...props} run={run} />
    </Sheet>
  );
}

function Fields({ id, run, signals, unitOf, at, onFound }: Props & { run: Run }) {
  const [signal, setSignal] = useState(signals[0] ?? "");
  const [direction, setDirection] = useState<Way>("rising");
  const [level, setLevel] = useState("");
  const [said, setSaid] = useState<{ text: string; wrong?: boolean }>();
  const unit = unitOf(signal);
  const search = async (backwards: boolean) => {
    const meaning = await evaluateEntry(id, level, unit);
    if (meaning.value == null) return setSaid({ text: meaning.problem ?? "a level is needed", wrong: true });
    const found = await findCrossing(run, { signal, level: meaning.value, direction, at, backwards });
    const said_ = `${signal} ${direction === "either" ? "crosses" : direction === "rising" ? "rises through" : "falls through"} ${show(meaning.value, unit)}`;
    if (typeof found === "string") setSaid({ text: found, wrong: true });
    else if (found === null)
      setSaid({ text: `${signal} does not do so ${backwards ? "before" : "after"} A.` });
    else {
      setSaid({ text: `${said_} at ${show(found, "second", 7)}; A stands there.` });
      onFound(found);
    }
  };
  return (
    <>
      <label className="flex items-center gap-2">
        <span className="w-16 text-muted">Trace</span>
        <select
          aria-label="Trace to search"
          value={signal}
          onChange={(event) => setSignal(event.target.value)}
          className={`figures grow ${FIELD}`}
        >
          {signals.map((each) => (
            <option key={each}>{each}</option>
          ))}
        </select>
      </label>
      <div className="flex items-center gap-2">
        <select
          aria-label="Way through the level searched"
          value={direction}
          onChange={(event) => setDirection(event.target.value as Way)}
          className={FIELD}
        >
          <option value="rising">rises through</option>
          <option value="falling">falls through</option>
          <option value="either">crosses</option>
        </select>
        <input
          aria-label="Level searched"
          value={level}
          spellCheck={false}
          autoComplete="off"
          onChange={(event) => setLevel(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && void search(event.shiftKey)}
          className={`figures w-full min-w-0 ${FIELD}`}
        />
        <span className="text-muted">{symbol(unit)}</span>
      </div>
      <div className="flex gap-2">
        <Button className="h-7" onClick={() => void search(true)}>
          <ArrowLeft size={13} /> Before A
        </Button>
        <Button className="h-7" onClick={() => void search(false)}>
          Next after A <ArrowRight size={13} />
        </Button>
      </div>
      {said && (
        <p
          role={said.wrong ? "alert" : "status"}
          className={`text-xs ${said.wrong ? "text-missed" : "text-muted"}`}
        >
          {said.text}
        </p>
      )}
    </>
  );
}
