import { Settings2, Trash2 } from "lucide-react";

import {
  useStudyOffers,
  type Study,
  type StudyKind,
  type StudyOffers,
  type SupplyShown,
} from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { Sheet } from "../ui/popover";
import { ValueField } from "../ui/valuefield";
import { converted, isStepped, isTimed, KINDS, type TimedStudy } from "./kinds";
import { NewStudy } from "./newstudy";
import { QuestionFields } from "./questions";
import { StepFields } from "./step";

interface Props {
  shown: SupplyShown;
  study: Study;
  editing: Editing;
  onStudy: (study: string) => void;
}

/** How a study tries the supply: what the circuit suggests, with its reason, and what was stated instead. */
export function StudyMenu({ shown, study, editing, onStudy }: Props) {
  return (
    <Sheet
      label="Settings of the study in a window"
      className="w-[440px] p-3"
      trigger={
        <Button
          look="quiet"
          className="px-1"
          aria-label="Settings of the study"
          title="Settings of the study"
        >
          <Settings2 size={16} />
        </Button>
      }
    >
      <Settings key={study.id} shown={shown} study={study} editing={editing} onStudy={onStudy} />
    </Sheet>
  );
}

function Settings({ shown, study, editing, onStudy }: Props) {
  const offers = useStudyOffers(shown).data;
  const change = (what: string, edit: (study: Study) => void) =>
    editing.change(`${what} of ${study.title.toLowerCase()}`, (document) => {
      const changed = document.studies?.find((s) => s.id === study.id);
      if (changed) edit(changed);
    });
  const finding = shown.findings.find((f) => f.place.at === "study" && f.place.study === study.id);
  const copy = () => {
    const taken = new Set(shown.document.studies?.map((s) => s.id));
    const free = (n: number): string => (taken.has(`study_${n}`) ? free(n + 1) : `study_${n}`);
    const id = free(1);
    editing.change(`copy ${study.title.toLowerCase()}`, (document) => {
      document.studies = [
        ...(document.studies ?? []),
        { ...structuredClone(study), id, title: `${study.title}, copy` },
      ];
    });
  };
  const remove = () => {
    editing.change(`remove ${study.title.toLowerCase()}`, (document) => {
      const gone = document.readings?.filter((r) => r.study === study.id).map((r) => r.id) ?? [];
      document.studies = document.studies?.filter((s) => s.id !== study.id);
      document.readings = document.readings?.filter((r) => r.study !== study.id);
      document.requirements = document.requirements?.filter((r) => !gone.includes(r.reading));
    });
  };
  const stage = shown.document.stages?.find((s) => s.id === study.cut?.after);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-2" aria-label="Settings of the study" role="group">
      <div className="flex items-center gap-1">
        <input
          key={study.title}
          aria-label="Title of the study"
          defaultValue={study.title}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
          onBlur={(event) => {
            const title = event.target.value.trim();
            if (title && title !== study.title)
              change("rename", (s) => {
                s.title = title;
              });
          }}
          className="min-w-0 grow rounded-sm bg-transparent px-1 font-semibold hover:bg-ground"
        />
        <NewStudy shown={shown} editing={editing} onStudy={onStudy} />
        <Button look="quiet" onClick={copy}>
          Copy
        </Button>
        <Button
          look="quiet"
          aria-label="Remove the study"
          title="Remove the study and its readings"
          onClick={remove}
        >
          <Trash2 size={15} />
        </Button>
      </div>
      <label className="flex items-center gap-1">
        <span className="w-36 shrink-0 text-muted">Kind</span>
        <select
          aria-label="Kind of the study"
          value={study.kind}
          onChange={(event) => {
            const next = converted(study, event.target.value as StudyKind, offers);
            editing.change(`kind of ${study.title.toLowerCase()}`, (document) => {
              document.studies = document.studies?.map((s) => (s.id === study.id ? next : s));
            });
          }}
          className={`min-w-0 grow ${FIELD} px-1`}
        >
          {(Object.keys(KINDS) as StudyKind[]).map((kind) => (
            <option key={kind} value={kind}>
              {KINDS[kind].join(": ")}
            </option>
          ))}
        </select>
      </label>
      {study.kind !== "operating_point" && (
        <label className="flex items-center gap-1">
          <span className="w-36 shrink-0 text-muted">Simulated</span>
          <select
            value={study.engine ?? ""}
            title="Switches and diodes of straight pieces are much faster for converters; smooth models know more of each device"
            onChange={(event) =>
              change("engine", (s) => {
                s.engine = (event.target.value || null) as Study["engine"];
              })
            }
            className={`min-w-0 grow ${FIELD} px-1`}
          >
            <option value="">as the circuit suggests</option>
            <option value="device_level">at device level</option>
            <option value="switched">by switching</option>
          </select>
        </label>
      )}
      {study.kind === "operating_point" && (
        <p className="text-muted">
          Capacitors carry no current, inductors no voltage, sources stand at what they are at first. There is
          nothing to set.
        </p>
      )}
      {study.kind === "frequency" && (
        <QuestionFields
          id={shown.id}
          supply={shown.document}
          study={study}
          offers={offers}
          editing={editing}
          change={change}
        />
      )}
      {isStepped(study) && (
        <StepFields id={shown.id} supply={shown.document} study={study} offers={offers} change={change} />
      )}
      {isTimed(study) && (
        <CourseFields id={shown.id} study={study} offers={offers} finding={finding} change={change} />
      )}
      {study.cut && (
        <>
          <p>
            Cut behind {stage?.title.toLowerCase() ?? study.cut.after}; a resistor stands in for what follows.
          </p>
          <ValueField
            supply={shown.id}
            label="Stand-in load"
            help="Resistance across the rails where the path is cut."
            unit="ohm"
            text={study.cut.load}
            onCommit={(text) =>
              change("stand-in load", (s) => {
                if (s.cut) s.cut.load = text;
              })
            }
          />
        </>
      )}
    </div>
  );
}

interface CourseProps {
  id: string;
  study: TimedStudy;
  offers?: StudyOffers;
  finding?: SupplyShown["findings"][number];
  change: (what: string, edit: (study: Study) => void) => void;
}

/** How long time goes on, from where, and how closely it is followed. */
function CourseFields({ id, study, offers, finding, change }: CourseProps) {
  const settled = study.kind === "settled";
  const timed = (what: string, edit: (study: TimedStudy) => void) =>
    change(what, (s) => {
      if (isTimed(s)) edit(s);
    });
  const suggestion = (text?: string, reason?: string) =>
    text ? (
      <p className="-mt-1 ml-36 pl-1 text-xs text-muted">
        The circuit suggests {text}: {reason}.
      </p>
    ) : null;
  const optional = (
    label: string,
    name: "record_from" | "max_step" | "tolerance",
    unit: "second" | "one",
    help: string,
    fallback: string,
  ) => (
    <ValueField
      supply={id}
      label={label}
      help={help}
      unit={unit}
      text={study[name] ?? ""}
      fallback={fallback}
      onCommit={(text) =>
        timed(label.toLowerCase(), (s) => {
          s[name] = text === "" ? null : text;
        })
      }
    />
  );
  return (
    <>
      {!settled && (
        <label className="flex items-center gap-1">
          <span className="w-36 shrink-0 text-muted">Begins</span>
          <select
            aria-label="Where the study begins"
            value={study.begins ?? (study.kind === "switch_on" ? "rest" : "settled")}
            onChange={(event) =>
              timed("start", (s) => {
                s.begins = event.target.value as TimedStudy["begins"];
              })
            }
            className={`min-w-0 grow ${FIELD} px-1`}
          >
            <option value="rest">at rest: capacitors empty, no current in any coil</option>
            <option value="operating_point">at the operating point</option>
            <option value="settled">in the settled state</option>
          </select>
        </label>
      )}
      <ValueField
        supply={id}
        label="Duration"
        help="Simulated time."
        unit="second"
        text={study.duration}
        finding={finding}
        onCommit={(text) =>
          timed("duration", (s) => {
            s.duration = text;
            s.suggested = false;
          })
        }
      />
      {settled ? (
        <p className="-mt-1 ml-36 pl-1 text-xs text-muted">
          Found straight away; as many of its periods are kept as fit in, or as readings look back over.
        </p>
      ) : (
        suggestion(offers?.duration.shown, offers?.duration.reason)
      )}
      <label className={`ml-36 flex items-center gap-2 pl-1 ${settled ? "hidden" : ""}`}>
        <input
          type="checkbox"
          checked={study.suggested ?? false}
          onChange={(event) =>
            timed("duration", (s) => {
              s.suggested = event.target.checked;
              if (event.target.checked && offers) s.duration = offers.duration.text;
            })
          }
        />
        Follow the suggestion as the circuit changes
      </label>
      {optional(
        "Longest step",
        "max_step",
        "second",
        "The solver never steps farther.",
        offers?.max_step.text ?? "",
      )}
      {!study.max_step && suggestion(offers?.max_step.shown, offers?.max_step.reason)}
      {!settled &&
        optional("Record from", "record_from", "second", "Traces are kept from this time on.", "0")}
      {!settled && !study.record_from && suggestion(offers?.record_from.shown, offers?.record_from.reason)}
      {optional("Tolerance", "tolerance", "one", "Accuracy wanted, relative to full scale.", "0.001")}
    </>
  );
}
