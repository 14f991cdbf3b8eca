import { Star, Trash2 } from "lucide-react";
import { useState } from "react";

import { isOld, isOver, nameOf, useRuns, type Run, type SupplyShown } from "../api/client";
import { useDeletedRuns, useDeleteRun, useRemark, useUndeleteRun } from "../api/deletion";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { bytes } from "../ui/quantity";
import { Tally } from "../ui/tally";
import { standings } from "../ui/verdicts";
import { CircuitOf } from "./circuitof";
import { when } from "../ui/when";

/** Every run of a supply; marked ones are kept, any can be deleted and had back. */
export function Runs({ shown, editing }: { shown: SupplyShown; editing: Editing }) {
  const runs = (useRuns(shown.id).data ?? []).filter((run) => !run.passing);
  const [showDeleted, setShowDeleted] = useState(false);
  const deleted = useDeletedRuns(shown.id, showDeleted).data ?? [];
  const remove = useDeleteRun();
  const back = useUndeleteRun();
  const mark = useRemark();
  const [last, setLast] = useState<Run>();
  const problem = remove.error ?? back.error ?? mark.error;
  const title = (run: Run) => (run.measured || run.second_opinion_on ? nameOf(run) : studyOf(run));
  const studyOf = (run: Run) => shown.document.studies?.find((s) => s.id === run.study)?.title ?? run.study;
  return (
    <section aria-label="Runs">
      <h2 className="font-semibold">Runs</h2>
      <p className="mb-2 text-muted">
        The newest of each study are kept; marked ones are kept however many follow. How many is set in the
        library.
      </p>
      {last && (
        <p role="status" className="mb-2 flex items-center gap-2 rounded-md bg-copper-soft px-3 py-1">
          Deleted the run of {when(last.created_at)}; its room is given free in a day.
          <Button
            className="h-7"
            onClick={() => back.mutate(last.id, { onSuccess: () => setLast(undefined) })}
          >
            Undo
          </Button>
        </p>
      )}
      {problem && (
        <p role="alert" className="mb-2 text-missed">
          {problem.message}
        </p>
      )}
      {runs.length === 0 && <p className="text-muted">Nothing has been run yet.</p>}
      {runs.length > 0 && (
        <table className="w-full" aria-label="Runs">
          <thead className="text-left text-xs text-muted">
            <tr>
              <th className="w-9">
                <span className="sr-only">Marked</span>
              </th>
              <th className="px-2 py-1 font-normal">Study</th>
              <th className="px-2 font-normal">Started</th>
              <th className="px-2 font-normal">Revision</th>
              <th className="px-2 font-normal">Result</th>
              <th className="px-2 font-normal">Note</th>
              <th className="px-2 text-right font-normal">Room</th>
              <th className="w-8">
                <span className="sr-only">Circuit</span>
              </th>
              <th className="w-9">
                <span className="sr-only">Delete</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {runs.map((run) => (
              <tr key={run.id} className="border-t border-hairline" data-testid="run">
                <td>
                  <button
                    type="button"
                    aria-pressed={run.marked}
                    aria-label={`Keep the run of ${when(run.created_at)}`}
                    title={run.marked ? "Kept however many follow" : "Keep it however many follow"}
                    className="flex h-7 w-8 items-center justify-center text-muted hover:text-copper"
                    onClick={() => mark.mutate({ id: run.id, marked: !run.marked })}
                  >
                    <Star size={15} className={run.marked ? "fill-copper text-copper" : ""} />
                  </button>
                </td>
                <td className="max-w-40 truncate px-2" title={title(run)}>
                  {title(run)}
                </td>
                <td className="px-2 whitespace-nowrap text-muted">{when(run.created_at)}</td>
                <td className="figures px-2">
                  {run.revision}
                  {isOld(run, shown) && <span className="font-sans text-xs text-muted">, old</span>}
                </td>
                <td className="px-2">
                  <Result run={run} />
                </td>
                <td className="px-1">
                  <Note
                    run={run}
                    label={`Note on the run of ${when(run.created_at)}`}
                    onKeep={(note) => mark.mutate({ id: run.id, note })}
                  />
                </td>
                <td className="px-2 text-right whitespace-nowrap">{isOver(run) ? bytes(run.bytes) : ""}</td>
                <td>{!run.measured && <CircuitOf run={run} shown={shown} editing={editing} />}</td>
                <td>
                  <button
                    type="button"
                    aria-label={`Delete the run of ${when(run.created_at)}`}
                    title="Delete the run"
                    className="flex h-7 w-8 items-center justify-center text-muted hover:text-missed"
                    onClick={() => remove.mutate(run.id, { onSuccess: () => setLast(run) })}
                  >
                    <Trash2 size={15} />
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Button
        look="quiet"
        className="mt-2"
        aria-expanded={showDeleted}
        onClick={() => setShowDeleted(!showDeleted)}
      >
        {showDeleted ? "Hide deleted runs" : "Show deleted runs"}
      </Button>
      {showDeleted && (
        <ul className="px-2 text-muted" aria-label="Deleted runs">
          {deleted.length === 0 && <li>No run of this supply has been deleted of late.</li>}
          {deleted.map((run) => (
            <li key={run.id} className="flex items-center gap-2 py-0.5">
              {title(run)}, {when(run.created_at)}, {bytes(run.bytes)}
              <Button
                className="h-7"
                aria-label={`Have the run of ${when(run.created_at)} back`}
                onClick={() =>
                  back.mutate(run.id, { onSuccess: () => last?.id === run.id && setLast(undefined) })
                }
              >
                Have it back
              </Button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

/** What somebody wrote beside a run, and the field to write it. */
function Note({ run, label, onKeep }: { run: Run; label: string; onKeep: (note: string) => void }) {
  const keep = (text: string) => {
    if (text.trim() !== run.note) onKeep(text.trim());
  };
  return (
    <input
      key={run.note}
      aria-label={label}
      defaultValue={run.note}
      placeholder="…"
      title={run.note || "Write a note beside this run"}
      maxLength={2000}
      onBlur={(event) => keep(event.target.value)}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") event.currentTarget.value = run.note;
      }}
      className="w-full min-w-24 truncate rounded-sm bg-transparent px-1 hover:bg-ground focus:bg-ground"
    />
  );
}

function Result({ run }: { run: Run }) {
  if (!run.outcome || run.state !== "done") {
    return <span className={run.state === "failed" ? "text-missed" : "text-muted"}>{run.state}</span>;
  }
  const { met, close, missed } = standings(run.outcome.verdicts);
  if (met + close + missed === 0) return <span className="text-muted">done</span>;
  return (
    <span className="text-xs">
      <Tally met={met} close={close} missed={missed} />
    </span>
  );
}
