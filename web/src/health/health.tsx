import { isOver, type Outcome, type Run, type SupplyShown } from "../api/client";
import { show } from "../ui/quantity";
import { Opinion } from "./opinion";

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

interface Props {
  shown: SupplyShown;
  run?: Run;
  blocked?: string;
  /** Puts a run behind the traces, or none. */
  onBehind: (run?: string) => void;
}

/** Why the numbers of a run can be trusted, or what speaks against it. */
export function Health({ shown, run, blocked, onBehind }: Props) {
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
      {run && isOver(run) && (
        <Opinion
          key={run.id}
          shown={shown}
          run={run}
          blocked={blocked}
          onBehind={onBehind}
          doubted={health.warnings.length > 0}
        />
      )}
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
