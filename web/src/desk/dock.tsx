import { Tabs } from "radix-ui";

import { useState, type ReactNode } from "react";

import {
  isOld,
  isOver,
  isUnfinished,
  whyBlocked,
  type Finding,
  type PartKind,
  type Run,
  type SupplyShown,
} from "../api/client";
import { Sizing } from "../compose/sizing";
import type { Editing } from "../frame/editing";
import type { Verdict } from "../frame/standing";
import { HarmonicsView } from "../harmonics/harmonics";
import { Health } from "../health/health";
import { Readings } from "../readings/table";
import { RestingTable } from "../resting/table";
import { StressTable } from "../stress/table";
import { Trim } from "../trim/trim";
import { Verdicts } from "../ui/verdicts";

interface Props {
  shown: SupplyShown;
  /** What the checks and the runs complain of. */
  findings: Finding[];
  /** Of all studies, newest first. */
  allRuns?: Run[];
  editing: Editing;
  study: string;
  run?: Run;
  before?: Run;
  /** Of all studies. */
  verdicts: Verdict[];
  /** The run each study is judged by. */
  runs: Record<string, Run>;
  stage?: string;
  onStage: (stage: string | undefined) => void;
  onPart: (part: string) => void;
  /** Shows when a part bore the most. */
  onMoment: (study: string, signal: string, at: number | null) => void;
  /** Shows where a reading was taken. */
  onLook: (reading: string) => void;
  kinds: PartKind[];
  /** Puts a run behind the traces, or none. */
  onBehind: (run?: string) => void;
  /** What arranges the desk. */
  arrangement: ReactNode;
}

/** Numbers, checks and the evidence for them. */
export function Dock(props: Props) {
  const { shown, findings, editing, study, run, before, verdicts, stage } = props;
  const { onStage, onPart, onLook, kinds, onBehind, arrangement } = props;
  const { document: supply } = shown;
  const chosen = supply.stages?.find((s) => s.id === stage);
  const [tab, setTab] = useState(chosen ? "sizing" : "readings");
  // Choosing a stage brings its sizing up; leaving it goes back to what was open.
  const [seen, setSeen] = useState(stage);
  const [back, setBack] = useState("readings");
  if (seen !== stage) {
    setSeen(stage);
    if (chosen && tab !== "sizing") setBack(tab);
    setTab(chosen ? "sizing" : back);
  }
  const errors = findings.length;
  const stale = run !== undefined && isOld(run, shown);
  const trigger = (value: string, label: string) => (
    <Tabs.Trigger
      value={value}
      className="h-8 border-b-2 border-transparent px-3 text-muted data-[state=active]:border-copper data-[state=active]:text-ink"
    >
      {label}
    </Tabs.Trigger>
  );
  return (
    <Tabs.Root data-pane value={tab} onValueChange={setTab} className="flex h-full flex-col bg-panel">
      <div className="flex shrink-0 items-center border-b border-hairline px-2">
        <Tabs.List aria-label="Dock" className="flex items-center">
          {trigger("readings", "Requirements and readings")}
          {trigger("trim", "Trim")}
          {trigger("harmonics", "Harmonics")}
          {trigger("resting", "Operating point")}
          {trigger("stress", "Stress")}
          {trigger("checks", errors > 0 ? `Checks (${errors})` : "Checks")}
          {trigger("health", "Health")}
          {chosen && trigger("sizing", `Sizing of ${chosen.title.toLowerCase()}`)}
        </Tabs.List>
        {stale && run && isOver(run) && (
          <span className="ml-3 text-xs text-close" data-testid="numbers-old">
            These numbers are of revision {run.revision}; run again to see those of revision {shown.revision}.
          </span>
        )}
        <span className="grow" />
        {arrangement}
      </div>
      <Tabs.Content value="readings" className="grid min-h-0 grow grid-cols-[3fr_2fr] overflow-auto">
        <Verdicts supply={supply} verdicts={verdicts} study={study} onLook={onLook} />
        <Readings
          shown={shown}
          study={study}
          editing={editing}
          run={run}
          before={before}
          elsewhere={props.runs}
        />
      </Tabs.Content>
      <Tabs.Content
        value="trim"
        // What is being trimmed stays while other tabs are looked at.
        forceMount
        hidden={tab !== "trim"}
        className="grid min-h-0 grow grid-cols-[1fr_1fr] overflow-auto"
      >
        <Trim shown={shown} kinds={kinds} study={study} editing={editing} run={run} onBehind={onBehind} />
        <div className="border-l border-hairline">
          <Verdicts supply={supply} verdicts={verdicts} study={study} onLook={onLook} />
        </div>
      </Tabs.Content>
      <Tabs.Content value="harmonics" className="min-h-0 grow overflow-auto">
        <HarmonicsView key={study} supply={supply} run={run} />
      </Tabs.Content>
      <Tabs.Content value="resting" className="min-h-0 grow overflow-auto">
        <RestingTable shown={shown} onPart={onPart} />
      </Tabs.Content>
      <Tabs.Content value="stress" className="min-h-0 grow overflow-auto">
        <StressTable
          shown={shown}
          editing={editing}
          runs={props.allRuns}
          onPart={onPart}
          onMoment={props.onMoment}
        />
      </Tabs.Content>
      <Tabs.Content value="checks" className="min-h-0 grow overflow-auto p-3">
        {errors === 0 && <p className="text-met">Nothing to complain of.</p>}
        <ul className="grid gap-2">
          {findings.map((finding, i) => (
            <li key={i}>
              <span className={look(finding)}>{finding.message}.</span>{" "}
              <span className="text-muted">{finding.remedy}.</span>{" "}
              {"part" in finding.place && (
                <button
                  type="button"
                  className="text-copper underline"
                  onClick={() => "part" in finding.place && onPart(finding.place.part)}
                >
                  Show {finding.place.part}
                </button>
              )}
            </li>
          ))}
        </ul>
      </Tabs.Content>
      <Tabs.Content value="health" className="min-h-0 grow overflow-auto p-3">
        <Health run={run} shown={shown} onBehind={onBehind} blocked={whyBlocked(shown.findings)} />
      </Tabs.Content>
      {chosen && (
        <Tabs.Content value="sizing" className="min-h-0 grow overflow-auto">
          <Sizing
            key={`${chosen.id}`}
            shown={shown}
            stage={chosen}
            editing={editing}
            onStage={onStage}
            onPart={onPart}
          />
        </Tabs.Content>
      )}
    </Tabs.Root>
  );
}

function look(finding: Finding): string {
  if (isUnfinished(finding)) return "";
  return finding.severity === "error" ? "text-missed" : "text-close";
}
