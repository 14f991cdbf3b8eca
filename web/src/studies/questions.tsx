import { AudioLines, Plus, Trash2 } from "lucide-react";

import type { Study, StudyOffers, Supply } from "../api/client";
import type { Editing } from "../frame/editing";
import { signalNames } from "../readings/draft";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { Menu, MenuItem } from "../ui/menu";
import { ValueField } from "../ui/valuefield";
import type { FrequencyStudy } from "./kinds";

type Question = NonNullable<FrequencyStudy["questions"]>[number];
type Asks = Question["asks"];
type AskKind = "loop_gain" | "response" | "line_rejection" | "output_impedance" | "input_impedance";

interface Props {
  id: string;
  supply: Supply;
  study: FrequencyStudy;
  offers?: StudyOffers;
  editing: Editing;
  change: (what: string, edit: (study: Study) => void) => void;
}

/** What each question is called, and the name its curve begins with. */
const ASKS: Record<AskKind, [name: string, curve: string]> = {
  loop_gain: ["Loop gain", "loop"],
  response: ["Response", "response"],
  line_rejection: ["Line rejection", "rejection"],
  output_impedance: ["Output impedance", "zout"],
  input_impedance: ["Input impedance", "zin"],
};

const SMALL = `figures min-w-0 ${FIELD} px-1`;

/** What a study asks over frequency: at which frequencies, and the named questions. */
export function QuestionFields({ id, supply, study, offers, editing, change }: Props) {
  const questions = study.questions ?? [];
  const set = (what: string, next: Question[]) =>
    change(what, (s) => {
      if (s.kind === "frequency") s.questions = next;
    });
  const nets = [...new Set(supply.parts?.flatMap((part) => Object.values(part.pins)))].filter(
    (net) => net !== "",
  );
  const outlet =
    supply.stages?.findLast((stage) => stage.output)?.output ??
    nets.find((n) => n === "out") ??
    nets[0] ??
    "";
  // What shows or reads a curve follows its name.
  const rename = (from: string, to: string) =>
    editing.change(`rename the curve ${from}`, (document) => {
      const named = (text: string) => text.replaceAll(new RegExp(`\\b${from}\\b`, "g"), to);
      const renamed = document.studies?.find((s) => s.id === study.id);
      if (renamed?.kind !== "frequency") return;
      for (const question of renamed.questions ?? []) if (question.id === from) question.id = to;
      for (const trace of renamed.strips?.flatMap((strip) => strip.traces) ?? [])
        trace.signal = named(trace.signal);
      for (const reading of document.readings ?? [])
        if (reading.study === study.id && reading.signal) reading.signal = named(reading.signal);
    });
  const begun = (kind: AskKind): Asks => {
    const [source = ""] = offers?.sources ?? [];
    if (kind === "loop_gain") return { loop_gain: { pin: offers?.loops[0] ?? "" } };
    if (kind === "response") return { response: { source, signal: `${outlet}.v` } };
    if (kind === "line_rejection") return { line_rejection: { source, signal: `${outlet}.v` } };
    if (kind === "output_impedance") return { output_impedance: { net: outlet } };
    return { input_impedance: { source } };
  };
  const add = (kind: AskKind) => {
    const [, name] = ASKS[kind];
    const taken = new Set(questions.map((question) => question.id));
    const free = (n: number): string => {
      const candidate = n === 1 ? name : `${name}_${n}`;
      return taken.has(candidate) ? free(n + 1) : candidate;
    };
    const question = { id: free(1), asks: begun(kind) };
    const decibels = !kind.endsWith("impedance");
    change(`ask for ${ASKS[kind][0].toLowerCase()}`, (s) => {
      if (s.kind !== "frequency") return;
      s.questions = [...(s.questions ?? []), question];
      const look = { curve: { side: "magnitude" as const, decibels } };
      s.strips = [...(s.strips ?? []), { traces: [{ signal: question.id }], shows: look }];
    });
  };
  const grid = (label: string, name: "from" | "to" | "per_decade", help: string, fallback?: string) => (
    <ValueField
      supply={id}
      label={label}
      help={help}
      unit={name === "per_decade" ? "one" : "hertz"}
      text={study[name] ?? ""}
      fallback={fallback}
      onCommit={(text) =>
        change(label.toLowerCase(), (s) => {
          if (s.kind !== "frequency") return;
          if (name === "per_decade") s.per_decade = text === "" ? null : text;
          else s[name] = text;
        })
      }
    />
  );
  return (
    <>
      {grid("From", "from", "First frequency.")}
      {grid("To", "to", "Last frequency; by switching up to half the switching frequency.")}
      {grid("Points per decade", "per_decade", "More are added where a curve bends.", "20")}
      <datalist id="asked-signals">
        {signalNames(supply).map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
      <datalist id="asked-nets">
        {nets.map((net) => (
          <option key={net} value={net} />
        ))}
      </datalist>
      <datalist id="asked-pins">
        {offers?.loops.map((pin) => (
          <option key={pin} value={pin} />
        ))}
      </datalist>
      <div role="group" aria-label="Questions" className="grid gap-1.5">
        {questions.map((question, k) => (
          <QuestionRow
            key={k}
            question={question}
            sources={offers?.sources ?? []}
            taken={questions.map((other) => other.id)}
            onRename={(to) => rename(question.id, to)}
            onChange={(next) =>
              set(
                `change ${question.id}`,
                questions.map((q, i) => (i === k ? next : q)),
              )
            }
            onRemove={() =>
              set(
                `take ${question.id} out`,
                questions.filter((_, i) => i !== k),
              )
            }
          />
        ))}
        {questions.length === 0 && <p className="text-muted">It asks nothing yet.</p>}
      </div>
      <div>
        <Menu
          align="start"
          className="text-sm"
          trigger={
            <Button look="quiet" className="px-1">
              <Plus size={14} /> Question
            </Button>
          }
        >
          {(Object.keys(ASKS) as AskKind[]).map((kind) => (
            <MenuItem key={kind} onSelect={() => add(kind)}>
              {ASKS[kind][0]}
            </MenuItem>
          ))}
        </Menu>
      </div>
    </>
  );
}

interface RowProps {
  question: Question;
  sources: string[];
  /** Names of all curves. */
  taken: string[];
  onRename: (id: string) => void;
  onChange: (question: Question) => void;
  onRemove: () => void;
}

/** A question: its curve's name, and what it asks of what. */
function QuestionRow({ question, sources, taken, onRename, onChange, onRemove }: RowProps) {
  const { asks } = question;
  const kind = Object.keys(asks)[0] as AskKind;
  const set = (next: Asks) => onChange({ ...question, asks: next });
  const text = (label: string, value: string, list: string, onText: (text: string) => void) => (
    <input
      key={value}
      aria-label={`${label} of ${question.id}`}
      defaultValue={value}
      list={list}
      spellCheck={false}
      onBlur={(event) => {
        const typed = event.target.value.trim();
        if (typed !== "" && typed !== value) onText(typed);
      }}
      onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      className={`w-0 grow ${SMALL}`}
    />
  );
  const source = (value: string, onSource: (source: string) => void) => (
    <select
      aria-label={`Source of ${question.id}`}
      value={value}
      onChange={(event) => onSource(event.target.value)}
      className={SMALL}
    >
      {[...new Set([value, ...sources])].map((part) => (
        <option key={part} value={part}>
          {part}
        </option>
      ))}
    </select>
  );
  return (
    <div>
      <div className="flex items-center gap-1">
        <input
          key={question.id}
          aria-label={`Name of the curve ${question.id}`}
          title="What its curve is called; formulas of curves use it"
          defaultValue={question.id}
          spellCheck={false}
          onBlur={(event) => {
            const id = event.target.value.trim();
            if (id === question.id) return;
            if (/^[A-Za-z]\w*$/.test(id) && !taken.includes(id)) onRename(id);
            else event.target.value = question.id;
          }}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
          className={`w-24 ${SMALL}`}
        />
        <span className="shrink-0 text-xs text-muted">{ASKS[kind][0].toLowerCase()}</span>
        {"loop_gain" in asks && (
          <>
            <span className="text-xs text-muted">at</span>
            {text("Pin", asks.loop_gain.pin, "asked-pins", (pin) =>
              set({ loop_gain: { ...asks.loop_gain, pin } }),
            )}
          </>
        )}
        {"response" in asks && (
          <>
            {source(asks.response.source, (part) => set({ response: { ...asks.response, source: part } }))}
            <span className="text-xs text-muted">to</span>
            {text("Signal", asks.response.signal, "asked-signals", (signal) =>
              set({ response: { ...asks.response, signal } }),
            )}
          </>
        )}
        {"line_rejection" in asks && (
          <>
            {source(asks.line_rejection.source, (part) =>
              set({ line_rejection: { ...asks.line_rejection, source: part } }),
            )}
            <span className="text-xs text-muted">from</span>
            {text("Signal", asks.line_rejection.signal, "asked-signals", (signal) =>
              set({ line_rejection: { ...asks.line_rejection, signal } }),
            )}
          </>
        )}
        {"output_impedance" in asks && (
          <>
            <span className="text-xs text-muted">at</span>
            {text("Net", asks.output_impedance.net, "asked-nets", (net) =>
              set({ output_impedance: { ...asks.output_impedance, net } }),
            )}
          </>
        )}
        {"input_impedance" in asks &&
          source(asks.input_impedance.source, (part) => set({ input_impedance: { source: part } }))}
        <Button
          look="quiet"
          className={`ml-auto px-1 ${question.tones ? "text-copper" : ""}`}
          aria-label={`Measure ${question.id} with tones`}
          aria-pressed={Boolean(question.tones)}
          title="Measure it with tones in the time domain as well, as on a bench"
          onClick={() => onChange({ ...question, tones: question.tones ? null : {} })}
        >
          <AudioLines size={14} />
        </Button>
        <Button
          look="quiet"
          className="px-1"
          aria-label={`Remove ${question.id}`}
          title="Remove the question"
          onClick={onRemove}
        >
          <Trash2 size={14} />
        </Button>
      </div>
      {question.tones && (
        <label className="mt-1 flex items-center gap-1 pl-25 text-xs text-muted">
          and with tones of
          <input
            key={question.tones.amplitude ?? ""}
            aria-label={`Amplitude of the tones of ${question.id}`}
            title="Peak, V or A; found for each tone if left out"
            placeholder="found"
            defaultValue={question.tones.amplitude ?? ""}
            spellCheck={false}
            onBlur={(event) => {
              const typed = event.target.value.trim();
              if (typed !== (question.tones?.amplitude ?? ""))
                onChange({
                  ...question,
                  tones: { ...question.tones, amplitude: typed === "" ? null : typed },
                });
            }}
            onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
            className={`w-20 ${SMALL}`}
          />
          peak
        </label>
      )}
    </div>
  );
}
