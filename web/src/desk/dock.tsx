import { Tabs } from "radix-ui";

import { useState, type ReactNode } from "react";

import {
  isOld,
  isOver,
  isUnfinished,
  type Finding,
  type Outcome,
  type PartKind,
  type Run,
  type SupplyShown,
} from "../api/client";
import { Sizing } from "../compose/sizing";
import type { Editing } from "../frame/editing";
import type { Verdict } from "../frame/standing";
import { HarmonicsView } from "../harmonics/harmonics";
import { Readings } from "../readings/table";
import { RestingTable } from "../resting/table";
import { StressTable } from "../stress/table";
import { Trim } from "../trim/trim";
import { show } from "../ui/quantity";
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
        <Health run={run} />
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

const CONDUCTS = { continuous: "continuous", boundary: "at the boundary", discontinuous: "discontinuous" };

/** A settled state as facts. */
function settledRows(facts: NonNullable<Outcome["health"]["settled"]>): [string, string][] {
  const share = (part: number) => show(part, "share", 3);
  const windings = facts.windings.map(({ part, conduction, idle }): [string, string] => [
    `Conduction of ${part}`,
    CONDUCTS[conduction] + (idle > 0 ? `, without current for ${share(idle)} of a period` : ""),
  ]);
  const duties = facts.duties.map(({ part, duty }): [string, string] => [`Duty of ${part}`, share(duty)]);
  const left = facts.leaves == null ? "" : ` (each period leaves ${show(facts.leaves, "one", 3)} of it)`;
  return [
    ["Period", `${show(facts.period, "second", 6)}, given by ${facts.given_by}`],
    ...windings,
    ...duties,
    ["Stability", facts.stability + left],
    ["Found in", `${facts.iterations} ${facts.iterations === 1 ? "iteration" : "iterations"}`],
  ];
}

function Health({ run }: { run?: Run }) {
  const health = run?.outcome?.health;
  if (!health) return <p className="text-muted">Run a study to see why its numbers can be trusted.</p>;
  const { engine, steadiness } = health;
  const rows: [string, string][] = [
    [
      "Energy unaccounted for",
      `${(100 * engine.energy.relative).toPrecision(2)}\u2009% of ${show(engine.energy.delivered, "joule", 3)} delivered`,
    ],
    ["Steps", `${engine.steps} accepted, ${engine.rejected} rejected, ${engine.unsettled} cut short`],
    ...(engine.trips ? ([["Trips", `${engine.trips}, each located in time`]] as [string, string][]) : []),
    ...(engine.repeated
      ? ([["Periods left out", `${engine.repeated} in which nothing new happens: like the one before`]] as [
          string,
          string,
        ][])
      : []),
    ...(engine.leaps
      ? ([["Leaps", `${engine.leaps} over changes too fast to resolve`]] as [string, string][])
      : []),
    ...(engine.fallbacks?.length
      ? ([["Operating point", `not found by ${engine.fallbacks.join(", ")}`]] as [string, string][])
      : []),
    [
      "Shortest step",
      `${show(engine.shortest_step, "second", 3)} at ${show(engine.shortest_at, "second", 4)}`,
    ],
    ["Tolerance", `${(100 * health.tolerance).toPrecision(2)}\u2009% of full scale`],
    ...(steadiness
      ? ([
          [
            "Steadiness",
            `mean of ${steadiness.net} moves by ${(100 * steadiness.relative).toPrecision(2)}\u2009% in ${show(steadiness.over, "second", 3)}`,
          ],
        ] as [string, string][])
      : []),
    ...(health.settled ? settledRows(health.settled) : []),
    ["Unknowns", `${engine.unknowns}, ${engine.fill} matrix entries`],
    ["Simulated", health.simulated || "at device level"],
    ["Numerics", `version ${health.engine_version}`],
  ];
  return (
    <div className="grid gap-1">
      {health.warnings.map((warning) => (
        <p key={warning} className="text-close">
          {warning}
        </p>
      ))}
      <dl className="grid grid-cols-[180px_1fr] gap-y-1">
        {rows.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-muted">{name}</dt>
            <dd className="figures">{value}</dd>
          </div>
        ))}
      </dl>
    </div>
  );
}
