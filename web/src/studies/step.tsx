import type { Study, StudyOffers, Supply, Unit } from "../api/client";
import { FIELD } from "../ui/field";
import { ValueField } from "../ui/valuefield";
import type { SteppedStudy } from "./kinds";

type Step = NonNullable<SteppedStudy["step"]>;

interface Props {
  id: string;
  supply: Supply;
  study: SteppedStudy;
  offers?: StudyOffers;
  change: (what: string, edit: (study: Study) => void) => void;
}

const SOURCES = new Set(["dc_source", "pulse_source", "sine_source"]);

/** What a study makes step, from what to what, when and how fast. */
export function StepFields({ id, supply, study, offers, change }: Props) {
  const { step } = study;
  const line = study.kind === "line_step";
  const kindOf = (part: string) => supply.parts?.find((p) => p.id === part)?.kind ?? "";
  const source = step ? SOURCES.has(kindOf(step.part)) : line;
  const [unit, slope]: [Unit, Unit] = source ? ["volt", "volt_per_second"] : ["ampere", "ampere_per_second"];
  const fitting = offers?.steps.filter((part) => SOURCES.has(kindOf(part)) === line) ?? [];
  const set = (what: string, next: Step | undefined) =>
    change(what, (s) => {
      if (s.kind === "load_step" || s.kind === "line_step") s.step = next;
    });
  const choose = (part: string) => {
    const offered = offers?.proposed.find((proposed) => proposed.study.kind === study.kind)?.study;
    const begun = offered?.kind === study.kind && "step" in offered ? offered.step : undefined;
    if (part === "") set("step", undefined);
    else set("step", { ...(step ?? begun ?? { to: source ? "10" : "1", at: "1m" }), part });
  };
  const field = (
    label: string,
    name: "from" | "to" | "at" | "slew" | "stays" | "every",
    of: Unit,
    help: string,
    fallback?: string,
  ) =>
    step && (
      <ValueField
        supply={id}
        label={label}
        help={help}
        unit={of}
        text={step[name] ?? ""}
        fallback={fallback}
        onCommit={(text) => set(label.toLowerCase(), { ...step, [name]: text === "" ? undefined : text })}
      />
    );
  return (
    <>
      <label className="flex items-center gap-1">
        <span className="w-36 shrink-0 text-muted">Steps</span>
        <select
          aria-label="What steps"
          value={step?.part ?? ""}
          onChange={(event) => choose(event.target.value)}
          className={`min-w-0 grow ${FIELD} px-1`}
        >
          <option value="">
            {line ? "what the circuit itself makes change" : "what steps in the circuit"}
          </option>
          {[...new Set([...(step ? [step.part] : []), ...fitting])].map((part) => (
            <option key={part} value={part}>
              {part}
            </option>
          ))}
        </select>
      </label>
      {field(
        "From",
        "from",
        unit,
        "What it draws or gives before.",
        source ? "as it is set" : "what it draws",
      )}
      {field("To", "to", unit, "What it draws or gives after.")}
      {field("At", "at", "second", "When it steps.")}
      {field("For", "stays", "second", "How long it stays before it steps back.", "for good")}
      {field("Every", "every", "second", "Time from step to step.", "once")}
      {field("Slew", "slew", slope, "How fast it changes.", source ? "1 V/µs" : "1 A/µs")}
    </>
  );
}
