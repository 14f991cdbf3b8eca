import { Popover } from "radix-ui";
import { useMemo, useState, type ReactNode } from "react";

import { refusal, useMeasureTable, type Finding, type Measure, type SupplyShown } from "../api/client";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { symbol } from "../ui/quantity";
import { begun, curvesOf, described, fitted, signalNames, takesMask, unitFor, type Reading } from "./draft";
import { WindowFields } from "./window";

interface Props {
  shown: SupplyShown;
  /** The reading as it is, or as a new one begins. */
  reading: Reading;
  isNew?: boolean;
  findings: Finding[];
  onKeep: (reading: Reading) => void;
  onRemove?: () => void;
  onClose: () => void;
}

/** What a reading measures, of what, over which part of which study. */
export function ReadingEditor({ shown, reading, isNew, findings, onKeep, onRemove, onClose }: Props) {
  const { document: supply } = shown;
  const all = useMeasureTable();
  const [draft, setDraft] = useState(reading);
  // Over frequency other things are measured than over time.
  const curves = curvesOf(supply, draft.study);
  const measures = all.filter((m) => m.of === "readings" || (m.of === "curve") === (curves !== undefined));
  const measure = all.find((m) => m.id === draft.measure);
  const set = (change: Partial<Reading>) => setDraft({ ...draft, ...change });
  const name = described(draft, all, supply);
  const others = supply.readings?.filter((r) => r.id !== draft.id) ?? [];
  const ready =
    (measure?.of === "readings" && (draft.formula ?? "").trim() !== "") ||
    measure?.of === "stage" ||
    (measure?.of === "curve" &&
      draft.signal?.trim() !== "" &&
      (!takesMask(draft) || (draft.mask ?? "").trim() !== "")) ||
    (measure?.of === "signal" && draft.signal?.trim() !== "") ||
    (measure?.of === "port" && draft.signal?.trim() !== "" && (draft.current ?? "").trim() !== "");
  const [problem, setProblem] = useState<string>();
  const keep = async () => {
    const next = fitted({ ...draft, title: draft.title.trim() || name }, measure);
    const why = await refusal(shown.id, { readings: [next], requirements: [] });
    setProblem(why);
    if (why === undefined) onKeep(next);
  };
  return (
    <form
      className="grid w-[430px] grid-cols-[auto_1fr] items-center gap-x-3 gap-y-1.5 p-3"
      aria-label={isNew ? "New reading" : `Reading ${reading.title}`}
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) void keep();
      }}
    >
      <Row label="Title">
        <input
          aria-label="Title"
          value={draft.title}
          placeholder={name}
          onChange={(event) => set({ title: event.target.value })}
          className={`w-full ${FIELD}`}
        />
      </Row>
      <Row label="Measure">
        <select
          aria-label="Measure"
          value={draft.measure}
          onChange={(event) => set({ measure: event.target.value as Reading["measure"] })}
          className={`w-full ${FIELD}`}
        >
          <MeasureOptions measures={measures} />
        </select>
      </Row>
      <p className="col-start-2 text-xs text-muted">{measure?.help}</p>
      <Subject supply={supply} measure={measure} draft={draft} others={others} set={set} />
      {takesMask(draft) && (
        <Row
          label="Mask"
          help="Frequencies and magnitudes in pairs, joined by straight lines on logarithmic scales."
        >
          <input
            aria-label="Points of the mask"
            value={draft.mask ?? ""}
            placeholder="10 100m, 10k 100m, 1M 1"
            spellCheck={false}
            onChange={(event) => set({ mask: event.target.value })}
            className={`figures w-full ${FIELD}`}
          />
        </Row>
      )}
      {measure?.numbers.map((number) => (
        <Row key={number.id} label={number.name} help={number.help}>
          <NumberField
            number={number}
            unit={symbol(unitFor(number.units, draft.signal ?? ""))}
            text={draft.numbers?.[number.id] ?? ""}
            onChange={(text) => set({ numbers: { ...draft.numbers, [number.id]: text } })}
          />
        </Row>
      ))}
      {measure?.of !== "readings" && measure?.of !== "curve" && (
        <Row label="Over">
          <WindowFields
            supply={supply}
            window={draft.window ?? "whole_run"}
            onChange={(window) => set({ window })}
          />
        </Row>
      )}
      <Row
        label="Metered"
        help="What a meter showed of it on the bench; it stands beside the reading with the difference."
      >
        <input
          aria-label="Metered value"
          value={draft.metered ?? ""}
          placeholder="14.3"
          spellCheck={false}
          onChange={(event) =>
            set({ metered: event.target.value.trim() === "" ? undefined : event.target.value })
          }
          className={`figures w-32 ${FIELD}`}
        />
      </Row>
      <Row label="of study">
        <select
          aria-label="Study of the reading"
          value={draft.study}
          onChange={(event) => {
            const study = event.target.value;
            // What is measured over time is not measured over frequency, and the other way round.
            const [before, after] = [draft.study, study].map((id) => curvesOf(supply, id) !== undefined);
            set(before === after ? { study } : { ...begun(supply, study), id: draft.id, title: draft.title });
          }}
          className={FIELD}
        >
          {supply.studies?.map((s) => (
            <option key={s.id} value={s.id}>
              {s.title}
            </option>
          ))}
        </select>
      </Row>
      {problem && (
        <p className="col-span-2 text-missed" role="alert">
          {problem}
        </p>
      )}
      {!problem &&
        findings.map((finding, i) => (
          <p key={i} className="col-span-2 text-missed" role="alert">
            {finding.message}. {finding.remedy}.
          </p>
        ))}
      <span className="col-span-2 mt-1 flex justify-end gap-2">
        {onRemove && (
          <Button look="quiet" onClick={onRemove}>
            Remove
          </Button>
        )}
        <span className="grow" />
        <Button onClick={onClose}>Close</Button>
        <Button type="submit" look="main" disabled={!ready}>
          {isNew ? "Add reading" : "Keep"}
        </Button>
      </span>
    </form>
  );
}

function Row({ label, help, children }: { label: string; help?: string; children: ReactNode }) {
  return (
    <>
      <span className="text-muted" title={help}>
        {label}
      </span>
      <span className="min-w-0" title={help}>
        {children}
      </span>
    </>
  );
}

const GROUPS: [string, Measure["of"]][] = [
  ["Of a signal", "signal"],
  ["Of a voltage and its current", "port"],
  ["Of the power path", "stage"],
  ["Of a curve over frequency", "curve"],
  ["Of other readings", "readings"],
];

/** The measures, by what they are taken of. */
export function MeasureOptions({ measures }: { measures: Measure[] }) {
  return GROUPS.filter(([, of]) => measures.some((m) => m.of === of)).map(([label, of]) => (
    <optgroup key={of} label={label}>
      {measures
        .filter((m) => m.of === of)
        .map((m) => (
          <option key={m.id} value={m.id}>
            {m.name}
          </option>
        ))}
    </optgroup>
  ));
}

interface SubjectProps {
  supply: SupplyShown["document"];
  measure?: Measure;
  draft: Reading;
  others: Reading[];
  set: (change: Partial<Reading>) => void;
}

/** What it is taken of: a signal, a voltage and a current, a stage, or other readings. */
function Subject({ supply, measure, draft, others, set }: SubjectProps) {
  const signals = useMemo(() => signalNames(supply), [supply]);
  const field = (label: string, value: string, placeholder: string, change: (text: string) => void) => (
    <input
      aria-label={label}
      value={value}
      list="reading-signals"
      placeholder={placeholder}
      spellCheck={false}
      onChange={(event) => change(event.target.value)}
      className={`figures w-full ${FIELD}`}
    />
  );
  if (measure?.of === "readings")
    return (
      <Row label="Formula" help={`Readings: ${others.map((r) => r.id).join(", ")}`}>
        <input
          aria-label="Formula"
          value={draft.formula ?? ""}
          placeholder={others.length > 1 ? `${others[0]?.id} / ${others[1]?.id}` : "a / b"}
          spellCheck={false}
          onChange={(event) => set({ formula: event.target.value })}
          className={`figures w-full ${FIELD}`}
        />
        <span className="figures block max-h-24 overflow-auto text-xs break-words text-muted">
          {others.map((r) => r.id).join(", ") || "No reading stands before this one."}
        </span>
      </Row>
    );
  if (measure?.of === "stage")
    return (
      <Row label="Of">
        <select
          aria-label="Stage"
          value={draft.stage ?? ""}
          onChange={(event) => set({ stage: event.target.value })}
          className={`w-full ${FIELD}`}
        >
          <option value="">the whole supply</option>
          {supply.stages
            ?.filter((s) => s.after)
            .map((s) => (
              <option key={s.id} value={s.id}>
                {s.title}
              </option>
            ))}
        </select>
      </Row>
    );
  if (measure?.of === "curve")
    return (
      <Row label="Curve" help="A question of the study by its name, or a formula of several.">
        <datalist id="reading-signals">
          {curvesOf(supply, draft.study)?.map((curve) => (
            <option key={curve} value={curve} />
          ))}
        </datalist>
        {field("Curve", draft.signal ?? "", "zout / (1 + loop)", (signal) => set({ signal }))}
      </Row>
    );
  return (
    <>
      <datalist id="reading-signals">
        {signals.map((signal) => (
          <option key={signal} value={signal} />
        ))}
      </datalist>
      <Row label={measure?.of === "port" ? "Voltage" : "Signal"}>
        {field("Signal", draft.signal ?? "", "out.v", (signal) => set({ signal }))}
      </Row>
      {measure?.of === "port" && (
        <Row label="Current" help="What flows with the voltage; a source's own counts as it delivers.">
          {field("Current", draft.current ?? "", "V1.i", (current) => set({ current }))}
        </Row>
      )}
    </>
  );
}

interface NumberProps {
  number: Measure["numbers"][number];
  unit: string;
  text: string;
  onChange: (text: string) => void;
}

function NumberField({ number, unit, text, onChange }: NumberProps) {
  if (number.options.length > 0)
    return (
      <select
        aria-label={number.name}
        value={text || (number.default ?? "")}
        onChange={(event) => onChange(event.target.value)}
        className={FIELD}
      >
        {number.options.map((option) => (
          <option key={option} value={option}>
            {option}
          </option>
        ))}
      </select>
    );
  return (
    <span className="flex items-center gap-2">
      <input
        aria-label={number.name}
        value={text}
        placeholder={number.default ?? "found by itself"}
        spellCheck={false}
        onChange={(event) => onChange(event.target.value)}
        className={`figures w-44 ${FIELD}`}
      />
      <span className="text-muted">{unit}</span>
    </span>
  );
}

/** The editor in a card at what opens it. */
export function ReadingPopover({
  trigger,
  open,
  onOpen,
  ...editor
}: Omit<Props, "onClose"> & { trigger: ReactNode; open: boolean; onOpen: (open: boolean) => void }) {
  return (
    <Popover.Root open={open} onOpenChange={onOpen}>
      <Popover.Trigger asChild>{trigger}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          align="end"
          collisionPadding={8}
          aria-label={editor.isNew ? "New reading" : editor.reading.title}
          className="z-20 max-h-(--radix-popover-content-available-height) overflow-auto rounded-md border border-hairline bg-panel shadow-soft"
        >
          <ReadingEditor {...editor} onClose={() => onOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
