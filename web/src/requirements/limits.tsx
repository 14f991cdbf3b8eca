import { Plus, Trash2 } from "lucide-react";
import { useState } from "react";

import { refusal, useMeasureTable, type Supply, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { begun, described, fitted, named, signalNames, unitFor, type Reading } from "../readings/draft";
import { MeasureOptions } from "../readings/editor";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { symbol } from "../ui/quantity";
import { ValueField } from "../ui/valuefield";

type Requirement = NonNullable<Supply["requirements"]>[number];

/** Limits beside those the outputs bring: each ties a reading of a study to what it may be. */
export function Limits({ shown, editing }: { shown: SupplyShown; editing: Editing }) {
  const { document: supply } = shown;
  // What an output is judged by follows from the output and is changed there.
  const follows = new Set(supply.outputs?.flatMap((o) => [`${o.id}_mean`, `${o.id}_ripple`]));
  const own = supply.requirements?.filter((r) => !follows.has(r.id)) ?? [];
  const studies = supply.studies ?? [];
  const [adding, setAdding] = useState(false);
  return (
    <div className="mt-5">
      <div className="flex items-center">
        <h3 className="grow font-semibold">Further limits</h3>
        <Button disabled={studies.length === 0} onClick={() => setAdding(!adding)}>
          <Plus size={14} /> Add limit
        </Button>
      </div>
      {own.length === 0 && !adding && (
        <p className="text-muted">
          {studies.length === 0
            ? "A limit is read from a study; a study comes with the first load."
            : "Anything that can be read of a run can be limited: a current, a loss, a valley, an inrush."}
        </p>
      )}
      {adding && <NewLimit shown={shown} editing={editing} onDone={() => setAdding(false)} />}
      <ul className="grid gap-2">
        {own.map((requirement) => (
          <Limit key={requirement.id} shown={shown} requirement={requirement} editing={editing} />
        ))}
      </ul>
    </div>
  );
}

interface LimitProps {
  shown: SupplyShown;
  requirement: Requirement;
  editing: Editing;
}

function Limit({ shown, requirement, editing }: LimitProps) {
  const reading = shown.document.readings?.find((r) => r.id === requirement.reading);
  const study = shown.document.studies?.find((s) => s.id === reading?.study);
  const measures = useMeasureTable();
  const measure = measures.find((m) => m.id === reading?.measure);
  const bound = (label: string, name: "at_least" | "at_most") => (
    <ValueField
      supply={shown.id}
      label={label}
      help="Empty for no limit on this side."
      unit={unitFor(measure?.units ?? [], reading?.signal ?? "")}
      text={requirement[name] ?? ""}
      fallback="not stated"
      onCommit={(text) =>
        editing.change(`limit ${requirement.title.toLowerCase()}`, (document) => {
          const changed = document.requirements?.find((r) => r.id === requirement.id);
          if (changed) changed[name] = text === "" ? null : text;
        })
      }
    />
  );
  return (
    <li
      className="grid gap-1 rounded-md border border-hairline bg-panel p-2"
      data-testid={`limit-${requirement.id}`}
    >
      <div className="flex items-center">
        <span className="grow">
          <span className="font-semibold">{requirement.title}</span>{" "}
          <span className="text-xs text-muted">
            {reading ? `${described(reading, measures, shown.document)}, ${study?.title ?? ""}` : ""}
          </span>
        </span>
        <Button
          look="quiet"
          aria-label={`Remove ${requirement.title}`}
          onClick={() =>
            editing.change(`remove ${requirement.title.toLowerCase()}`, (document) => {
              document.requirements = document.requirements?.filter((r) => r.id !== requirement.id);
              const used = document.requirements?.some((r) => r.reading === requirement.reading);
              if (!used) document.readings = document.readings?.filter((r) => r.id !== requirement.reading);
            })
          }
        >
          <Trash2 size={14} />
        </Button>
      </div>
      {bound("At least", "at_least")}
      {bound("At most", "at_most")}
    </li>
  );
}

interface NewProps {
  shown: SupplyShown;
  editing: Editing;
  onDone: () => void;
}

/** A limit to be: what is read, in which study, and one bound; the other can follow. */
function NewLimit({ shown, editing, onDone }: NewProps) {
  const { document: supply } = shown;
  const measures = useMeasureTable();
  const [title, setTitle] = useState("");
  const [measure, setMeasure] = useState<Reading["measure"]>("max");
  const [signal, setSignal] = useState("");
  const [study, setStudy] = useState(supply.studies?.[0]?.id ?? "");
  const [side, setSide] = useState<"at_most" | "at_least">("at_most");
  const [limit, setLimit] = useState("");
  const [known, setKnown] = useState("");
  const [problem, setProblem] = useState<string>();
  const there = supply.readings?.find((r) => r.id === known);
  const row = measures.find((m) => m.id === measure);
  const taken = there ?? { measure, signal };
  const unit = unitFor(measures.find((m) => m.id === taken.measure)?.units ?? [], taken.signal ?? "");
  const settled = !["min", "max", "rise_time", "fall_time", "settling_time", "overshoot"].includes(measure);
  const ready = (there || row?.of === "stage" || signal.trim() !== "") && limit.trim() !== "";
  const begin = begun(supply, study);
  // Extremes are looked for everywhere; means where the supply has settled.
  const window = settled ? begin.window : "whole_run";
  const reading = fitted({ ...begin, measure, signal: signal.trim(), window }, row);
  const name = there?.title ?? described(reading, measures, supply);
  const add = async () => {
    const called = title.trim() || name;
    const id = named(supply, called);
    const limited = { id, title: called, reading: there?.id ?? id, [side]: limit.trim() };
    const readings = there ? [] : [{ ...reading, id, title: called }];
    const why = await refusal(shown.id, { readings, requirements: [limited] });
    setProblem(why);
    if (why !== undefined) return;
    void editing.change("add a limit", (document) => {
      document.readings = [...(document.readings ?? []), ...readings];
      document.requirements = [...(document.requirements ?? []), limited];
    });
    onDone();
  };
  return (
    <form
      className="mb-2 grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-1 rounded-md border border-copper bg-panel p-2"
      aria-label="New limit"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) void add();
      }}
    >
      <label htmlFor="limit-title" className="text-muted">
        Title
      </label>
      <input
        id="limit-title"
        value={title}
        placeholder={ready ? name : "Inrush current"}
        onChange={(event) => setTitle(event.target.value)}
        className={FIELD}
      />
      <span className="text-muted">The</span>
      <span className="flex items-center gap-2">
        <select
          aria-label="Measure"
          value={there ? `reading ${there.id}` : measure}
          onChange={(event) => {
            const chosen = event.target.value;
            const of = supply.readings?.find((r) => chosen === `reading ${r.id}`);
            setKnown(of?.id ?? "");
            if (!of) setMeasure(chosen as Reading["measure"]);
          }}
          className={`max-w-56 ${FIELD}`}
        >
          {(supply.readings?.length ?? 0) > 0 && (
            <optgroup label="Readings there are">
              {supply.readings?.map((r) => (
                <option key={r.id} value={`reading ${r.id}`}>
                  {r.title}
                </option>
              ))}
            </optgroup>
          )}
          <MeasureOptions measures={measures.filter((m) => m.of === "signal" || m.of === "stage")} />
        </select>
        {!there && <span className="text-muted">of{row?.of === "stage" && " the whole supply"}</span>}
        {!there && row?.of !== "stage" && (
          <>
            <input
              aria-label="Signal"
              value={signal}
              list="limit-signals"
              placeholder="V1.i"
              spellCheck={false}
              onChange={(event) => setSignal(event.target.value)}
              className={`figures min-w-0 grow ${FIELD}`}
            />
            <datalist id="limit-signals">
              {signalNames(supply).map((name) => (
                <option key={name} value={name} />
              ))}
            </datalist>
          </>
        )}
      </span>
      <span className="text-muted">in</span>
      <select
        aria-label="Study of the limit"
        value={there?.study ?? study}
        disabled={there !== undefined}
        onChange={(event) => setStudy(event.target.value)}
        className={FIELD}
      >
        {supply.studies?.map((s) => (
          <option key={s.id} value={s.id}>
            {s.title}
          </option>
        ))}
      </select>
      <span className="text-muted">is</span>
      <span className="flex items-center gap-2">
        <select
          aria-label="Side of the limit"
          value={side}
          onChange={(event) => setSide(event.target.value as typeof side)}
          className={FIELD}
        >
          <option value="at_most">at most</option>
          <option value="at_least">at least</option>
        </select>
        <input
          aria-label="Limit"
          value={limit}
          placeholder="10"
          spellCheck={false}
          onChange={(event) => setLimit(event.target.value)}
          className={`figures min-w-0 grow ${FIELD}`}
        />
        <Button type="submit" look="main" disabled={!ready}>
          Add
        </Button>
        <span className="text-muted">{symbol(unit)}</span>
      </span>
      {problem && (
        <p role="alert" className="col-span-2 text-missed">
          {problem}
        </p>
      )}
    </form>
  );
}
