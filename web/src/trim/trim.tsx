import { Minus, Plus, X } from "lucide-react";
import { useRef, useState } from "react";

import {
  isOver,
  useNeighbours,
  useStartRun,
  useStopRun,
  type PartKind,
  type Run,
  type SupplyShown,
} from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { useKept } from "../ui/kept";
import { show, type Unit } from "../ui/quantity";
import { ValueField } from "../ui/valuefield";

/** Values trimmed at once at most. */
const MOST = 6;
/** A drag goes this many decades either way. */
const REACH = 0.5;

interface Props {
  shown: SupplyShown;
  kinds: PartKind[];
  study: string;
  editing: Editing;
  run?: Run;
  /** Puts a run behind the traces, or none. */
  onBehind: (run?: string) => void;
}

type Part = NonNullable<SupplyShown["document"]["parts"]>[number];

interface Value {
  /** `part.parameter`. */
  key: string;
  part: string;
  parameter: string;
  name: string;
  help: string;
  unit: Unit;
  text: string;
  /** How an amplitude is meant, if it is one. */
  meant?: string;
  /** What is written in the document, if anything is. */
  own?: string;
}

/** Every quantity of every part that can be trimmed. */
function quantities({ document }: SupplyShown, kinds: PartKind[]): Value[] {
  return (document.parts ?? []).flatMap((part) =>
    (kinds.find((k) => k.id === part.kind)?.parameters ?? []).flatMap((p) =>
      p.form.form === "quantity"
        ? [
            {
              key: `${part.id}.${p.id}`,
              part: part.id,
              parameter: p.id,
              name: p.name,
              help: p.help,
              unit: p.form.unit,
              text: part.parameters?.[p.id] ?? p.form.default,
              meant: meantOf(part, p.form.meant_as, kinds),
              own: part.parameters?.[p.id],
            },
          ]
        : [],
    ),
  );
}

/** What a choice of a part says of its amplitude. */
function meantOf(part: Part, choice: string | null | undefined, kinds: PartKind[]): string | undefined {
  const form = kinds.find((k) => k.id === part.kind)?.parameters.find((p) => p.id === choice)?.form;
  return form?.form === "choice" ? (part.parameters?.[choice ?? ""] ?? form.default) : undefined;
}

/** What was there before the first change, and the run that stands behind. */
interface Begun {
  /** Nothing for what had its default. */
  values: Record<string, string | undefined>;
  run?: string;
}

/** Up to six values, changed while the study runs again at once; taken or given back in the end. */
export function Trim({ shown, kinds, study, editing, run, onBehind }: Props) {
  const [keys, setKeys] = useKept<string[]>(`trim-${shown.id}`, []);
  const [begun, setBegun] = useState<Begun>();
  const all = quantities(shown, kinds);
  const values = keys.flatMap((key) => all.find((v) => v.key === key) ?? []);
  const start = useStartRun(shown.id);
  const stop = useStopRun();

  // A run that still goes on is of no use any more.
  const again = () => {
    if (run && !isOver(run)) stop.mutate(run.id);
    start.mutate({ study });
  };
  // On the way of a drag one run after the other, each with the value there is by then.
  const way = useRef<{ going: boolean; next?: [Value, string] }>({ going: false });
  const pass = (value: Value, text: string) => {
    if (way.current.going) {
      way.current.next = [value, text];
      return;
    }
    way.current = { going: true };
    begin(value);
    const tried = [{ part: value.part, parameter: value.parameter, text }];
    const onSettled = () => {
      const { next } = way.current;
      way.current = { going: false };
      if (next) pass(...next);
    };
    start.mutate({ study, tried }, { onSettled });
  };
  const set = (what: string, changes: Begun["values"]) => {
    const change = (document: SupplyShown["document"]) => {
      for (const [key, text] of Object.entries(changes)) {
        const [id = "", parameter = ""] = key.split(".");
        const part = document.parts?.find((p) => p.id === id);
        if (!part) continue;
        part.parameters ??= {};
        if (text === undefined) delete part.parameters[parameter];
        else part.parameters[parameter] = text;
      }
    };
    void editing.change(what, change).then((made) => made && again());
  };
  const begin = (value: Value) => {
    if (!begun) {
      const done = run && isOver(run) ? run.id : undefined;
      setBegun({ values: Object.fromEntries(values.map((v) => [v.key, v.own])), run: done });
      if (done) onBehind(done);
    } else if (!(value.key in begun.values)) {
      setBegun({ ...begun, values: { ...begun.values, [value.key]: value.own } });
    }
  };
  const trim = (value: Value, text: string) => {
    way.current.next = undefined;
    begin(value);
    set(`trim ${value.part} ${value.name.toLowerCase()}`, { [value.key]: text });
  };
  const end = () => {
    setBegun(undefined);
    onBehind();
  };
  const changed =
    begun && Object.entries(begun.values).some(([key, text]) => all.find((v) => v.key === key)?.own !== text);
  return (
    <section aria-label="Trim" className="grid content-start gap-2 p-3">
      <div className="flex items-center gap-2">
        <select
          aria-label="Value to trim"
          value=""
          disabled={keys.length >= MOST}
          onChange={(event) => setKeys([...keys, event.target.value])}
          className={FIELD}
        >
          <option value="">
            {keys.length >= MOST ? "Six values are trimmed at most" : "Add a value to trim…"}
          </option>
          {shown.document.parts?.map((part) => (
            <optgroup key={part.id} label={part.id}>
              {all
                .filter((v) => v.part === part.id && !keys.includes(v.key))
                .map((v) => (
                  <option key={v.key} value={v.key}>
                    {v.part} {v.name.toLowerCase()}
                  </option>
                ))}
            </optgroup>
          ))}
        </select>
        <span className="grow" />
        {begun && (
          <>
            <Button
              disabled={!changed}
              onClick={() => {
                set("go back from trimming", begun.values);
                end();
              }}
            >
              Go back
            </Button>
            <Button look="main" onClick={end}>
              Keep these values
            </Button>
          </>
        )}
      </div>
      {(start.error ?? stop.error) && (
        <p role="alert" className="text-missed">
          Not run: {(start.error ?? stop.error)?.message}
        </p>
      )}
      {values.length > 0 && (
        <p className="text-xs text-muted">
          {begun
            ? "The run from before the first change stands behind the traces."
            : "Each change runs the study again at once."}
        </p>
      )}
      {values.length === 0 && (
        <p className="text-muted">
          Choose values such as a reservoir's capacitance; step them through preferred values, drag or type
          them, and see what verdicts and traces make of it.
        </p>
      )}
      <ul className="grid gap-y-1">
        {values.map((value) => (
          <li key={value.key} className="flex items-start gap-1" data-testid={`trim-${value.key}`}>
            <span className="grow">
              <ValueField
                supply={shown.id}
                label={`${value.part} ${value.name.toLowerCase()}`}
                help={value.help}
                unit={value.unit}
                text={value.text}
                meant={value.meant}
                onCommit={(text) => trim(value, text)}
              />
            </span>
            <Steps
              shown={shown}
              value={value}
              onPass={(text) => pass(value, text)}
              onSet={(text) => trim(value, text)}
            />
            <Button
              look="quiet"
              className="h-7 px-1"
              aria-label={`Leave ${value.part} ${value.name.toLowerCase()} alone`}
              onClick={() => setKeys(keys.filter((key) => key !== value.key))}
            >
              <X size={13} />
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface StepsProps {
  shown: SupplyShown;
  value: Value;
  /** Tries a value on the way of a drag. */
  onPass: (text: string) => void;
  onSet: (text: string) => void;
}

/** The next preferred value down or up, and a drag over a decade. */
function Steps({ shown, value, onPass, onSet }: StepsProps) {
  const [place, setPlace] = useState(0);
  const neighbours = useNeighbours(shown, value.text, value.unit);
  const step = (way: "up" | "down") => {
    const next = neighbours?.[way];
    if (next && !next.problem) onSet(next.text);
  };
  const from = neighbours?.here.value;
  const at = (place: number) =>
    from == null ? undefined : String(Number((from * 10 ** place).toPrecision(3)));
  // A drag is one change: the one at its end.
  const end = () => {
    const text = at(place);
    if (text !== undefined && place !== 0) onSet(text);
    setPlace(0);
  };
  const name = `${value.part} ${value.name.toLowerCase()}`;
  const there = place === 0 ? undefined : at(place);
  return (
    <span className="relative flex items-center gap-1">
      {there !== undefined && (
        <span
          className="figures absolute bottom-full left-7 rounded-sm bg-copper-soft px-1 text-xs whitespace-nowrap"
          aria-hidden="true"
        >
          {show(Number(there), value.unit, 3)}
        </span>
      )}
      <Button
        look="quiet"
        className="h-7 px-1"
        aria-label={`${name} down`}
        title="The next preferred value down"
        disabled={!neighbours}
        onClick={() => step("down")}
      >
        <Minus size={13} />
      </Button>
      <input
        type="range"
        aria-label={`Drag ${name}`}
        aria-valuetext={show(Number(there ?? from), value.unit, 3)}
        title={there === undefined ? undefined : show(Number(there), value.unit, 3)}
        min={-REACH}
        max={REACH}
        step={0.005}
        value={place}
        className="w-24 accent-copper"
        disabled={from == null}
        onChange={(event) => {
          setPlace(Number(event.target.value));
          const text = at(Number(event.target.value));
          if (text !== undefined) onPass(text);
        }}
        onPointerUp={end}
        onBlur={end}
        onKeyUp={(event) => event.key === "Enter" && end()}
      />
      <Button
        look="quiet"
        className="h-7 px-1"
        aria-label={`${name} up`}
        title="The next preferred value up"
        disabled={!neighbours}
        onClick={() => step("up")}
      >
        <Plus size={13} />
      </Button>
    </span>
  );
}
