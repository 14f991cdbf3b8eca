import { useMemo, useState } from "react";

import {
  isOver,
  nameOf,
  useChangesSince,
  useJudgedRuns,
  useMeasureTable,
  useRuns,
  type Run,
  type SupplyShown,
} from "../api/client";
import type { Editing } from "../frame/editing";
import { described } from "../readings/draft";
import { CircuitOf } from "../history/circuitof";
import { change } from "../readings/change";
import { Button } from "../ui/button";
import { measured, show } from "../ui/quantity";
import { Notice } from "../ui/states";

/** Runs side by side at most. */
const MOST = 6;

interface Props {
  shown: SupplyShown;
  study: string;
  editing: Editing;
}

/** Readings of several runs beside one another, each against a reference, and what changed between them. */
export function Compare({ shown, study, editing }: Props) {
  const all = useRuns(shown.id).data?.filter((run) => !run.passing);
  const ended = useMemo(
    () => (all ?? []).filter((r) => r.study === study && isOver(r) && r.outcome),
    [all, study],
  );
  const [picked, setPicked] = useState<string[]>();
  const usual = ended
    .filter((r) => !r.second_opinion_on)
    .slice(0, 2)
    .map((r) => r.id);
  const ids = (picked ?? usual).filter((id) => ended.some((r) => r.id === id));
  // Oldest first, so that what came of a change stands to its right.
  const chosen = ended.filter((r) => ids.includes(r.id)).reverse();
  const runs = useJudgedRuns(chosen, shown, all);
  const [referred, setReference] = useState<string>();
  const reference = runs.find((r) => r.id === referred) ?? runs[0];
  if (all && ended.length === 0)
    return (
      <Notice>
        No run of this study has ended yet. Run it, change a value, run it again, and compare here.
      </Notice>
    );
  return (
    <div className="grid h-full grid-cols-[260px_1fr] *:overflow-auto *:p-4">
      <section aria-label="Runs to compare" className="border-r border-hairline">
        <h2 className="font-semibold">Runs</h2>
        <p className="mb-2 text-muted">Up to six, side by side.</p>
        <ul className="grid gap-0.5">
          {ended.map((run) => (
            <li key={run.id}>
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  checked={ids.includes(run.id)}
                  disabled={!ids.includes(run.id) && ids.length >= MOST}
                  onChange={(event) =>
                    setPicked(event.target.checked ? [...ids, run.id] : ids.filter((id) => id !== run.id))
                  }
                  className="accent-copper"
                />
                <span>
                  {nameOf(run)}
                  {run.marked && !run.measured && <span className="text-muted"> (kept)</span>}
                  {run.note && <span className="block text-xs text-muted">{run.note}</span>}
                </span>
              </label>
            </li>
          ))}
        </ul>
      </section>
      <section aria-label="Comparison">
        {reference && (
          <Table
            shown={shown}
            study={study}
            runs={runs}
            reference={reference}
            onReference={setReference}
            editing={editing}
          />
        )}
      </section>
    </div>
  );
}

interface TableProps extends Props {
  runs: Run[];
  reference: Run;
  onReference: (run: string) => void;
}

function Table({ shown, study, runs, reference, onReference, editing }: TableProps) {
  const measures = useMeasureTable();
  const { document: supply } = shown;
  const readings = supply.readings?.filter((r) => r.study === study) ?? [];
  const value = (run: Run, id: string) => run.outcome?.readings.find((r) => r.id === id);
  const standing = (run: Run, id: string) => {
    const decided = supply.requirements?.filter((q) => q.reading === id).map((q) => q.id) ?? [];
    return run.outcome?.verdicts.find((v) => decided.includes(v.id))?.standing;
  };
  return (
    <table className="w-full" aria-label="Readings by run">
      <thead className="text-left align-bottom text-xs text-muted">
        <tr>
          <th className="px-2 py-1 font-normal">Reading</th>
          {runs.map((run) => (
            <th key={run.id} className="px-2 text-right font-normal">
              {run.measured ? (
                <span title={run.measured.aligned}>{run.measured.title}, measured</span>
              ) : (
                <>
                  revision <span className="figures">{run.revision}</span>
                </>
              )}
              {run.note && (
                <span className="block max-w-40 truncate text-ink" title={run.note}>
                  {run.note}
                </span>
              )}
              <br />
              {run.id === reference.id ? (
                <span className="text-copper">reference</span>
              ) : (
                <button
                  type="button"
                  className="cursor-pointer underline hover:text-ink"
                  onClick={() => onReference(run.id)}
                >
                  take as reference
                </button>
              )}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {readings.map((reading) => (
          <tr key={reading.id} className="border-t border-hairline" data-testid={`compared-${reading.id}`}>
            <td className="px-2 py-1" title={described(reading, measures, supply)}>
              {reading.title}
            </td>
            {runs.map((run) => {
              const [found, other] = [value(run, reading.id), value(reference, reading.id)];
              const judged = standing(run, reading.id);
              const apart =
                found?.value != null && other?.value != null ? found.value - other.value : undefined;
              return (
                <td
                  key={run.id}
                  className="figures px-2 text-right whitespace-nowrap"
                  title={found?.problem ?? undefined}
                >
                  <span className={LOOKS[judged ?? ""] ?? ""}>
                    {found ? measured(found.value, found.unit) : "–"}
                  </span>
                  {run.id !== reference.id && found && (
                    <span className="block text-xs text-muted">
                      {apart === undefined
                        ? (found.problem ?? "")
                        : change(found.value, other?.value) === "same"
                          ? "same"
                          : `${apart > 0 ? "+" : ""}${show(apart, found.unit, 3)}, ${change(found.value, other?.value)}`}
                    </span>
                  )}
                </td>
              );
            })}
          </tr>
        ))}
        <tr className="border-t border-hairline align-top">
          <td className="px-2 py-1">What changed</td>
          {runs.map((run) => (
            <td key={run.id} className="px-2 py-1 text-right text-xs">
              {run.measured ? (
                <span className="text-muted">{run.measured.aligned}</span>
              ) : (
                <Changes run={run} reference={reference} />
              )}
            </td>
          ))}
        </tr>
        <tr className="border-t border-hairline">
          <td className="px-2 py-1">Its circuit</td>
          {runs.map((run) => (
            <td key={run.id} className="px-2 py-1 text-right">
              {run.measured ? (
                <span className="text-muted">on the bench</span>
              ) : run.revision === shown.revision ? (
                <span className="text-muted">as it is now</span>
              ) : (
                <>
                  <CircuitOf run={run} shown={shown} editing={editing} />
                  <Button
                    className="h-7"
                    onClick={() =>
                      void editing.compose(`restore revision ${run.revision}`, { restore: run.revision })
                    }
                  >
                    Restore
                  </Button>
                </>
              )}
            </td>
          ))}
        </tr>
      </tbody>
    </table>
  );
}

const LOOKS: Record<string, string> = { met: "text-met", close: "text-close", missed: "text-missed" };

function Changes({ run, reference }: { run: Run; reference: Run }) {
  const changes = useChangesSince(run.id, reference.id).data;
  if (run.id === reference.id || !changes) return null;
  if (changes.length === 0) return <span className="text-muted">nothing</span>;
  return (
    <ul>
      {changes.slice(0, 8).map((text) => (
        <li key={text}>{text}</li>
      ))}
      {changes.length > 8 && <li className="text-muted">and {changes.length - 8} more</li>}
    </ul>
  );
}
