import { FileDown, Pause, Play, Redo2, Undo2 } from "lucide-react";
import { Link } from "react-router";

import { isOld, isOver, useStopRun, type Run, type SupplyShown } from "../api/client";
import { Button } from "../ui/button";
import { fileName, saveAs } from "../ui/files";
import { Mark } from "../ui/mark";
import { Sheet } from "../ui/popover";
import { show } from "../ui/quantity";
import { ThemeSwitch } from "../ui/themeswitch";
import { GoOn } from "./goon";
import { secondsLeft } from "./progress";
import { Tally } from "../ui/tally";
import { standings } from "../ui/verdicts";
import type { Editing } from "./editing";
import type { Standing } from "./standing";
import { StudyMenu } from "../studies/menu";
import { NewStudy } from "../studies/newstudy";

interface Props {
  shown: SupplyShown;
  editing: Editing;
  study: string;
  onStudy: (study: string) => void;
  run?: Run;
  standing: Standing;
  /** Why it cannot be run. */
  blocked?: string;
  startProblem?: string;
  onRun: () => void;
  starting: boolean;
}

export function TitleBar(props: Props) {
  const { shown, run, editing } = props;
  const going = run !== undefined && !isOver(run);
  const chosen = shown.document.studies?.find((s) => s.id === props.study);
  return (
    <header
      data-pane
      className="flex min-h-11 shrink-0 flex-wrap items-center gap-x-2 gap-y-1 border-b border-hairline bg-panel px-3 py-1"
    >
      <Link to="/" className="flex items-center gap-1.5 text-muted hover:text-ink" aria-label="Library">
        <Mark />
        <span>Library</span>
      </Link>
      <span className="text-hairline">/</span>
      <Title
        key={shown.document.title}
        title={shown.document.title}
        onRename={(title) =>
          editing.change("rename the supply", (document) => {
            document.title = title;
          })
        }
      />
      <span className="shrink-0 text-xs text-muted" role="status" data-testid="saved">
        {editing.problem ? (
          <span className="text-missed">Not done: {editing.problem}</span>
        ) : editing.unanswered ? (
          `${editing.pending} ${editing.pending === 1 ? "change waits" : "changes wait"} for the server`
        ) : editing.saving ? (
          "Saving…"
        ) : (
          `Saved, revision ${shown.revision}`
        )}
      </span>
      <Button
        look="quiet"
        aria-label="Undo"
        title={`Undo${editing.undoes ? `: ${editing.undoes}` : ""} (Ctrl Z)`}
        disabled={!editing.undo}
        onClick={editing.undo}
      >
        <Undo2 size={16} />
      </Button>
      <Button
        look="quiet"
        aria-label="Redo"
        title={`Redo${editing.redoes ? `: ${editing.redoes}` : ""} (Ctrl Shift Z)`}
        disabled={!editing.redo}
        onClick={editing.redo}
      >
        <Redo2 size={16} />
      </Button>
      <Button
        look="quiet"
        aria-label="Export the document"
        title="Export the document as a file"
        onClick={() => saveAs(fileName([shown.document.title], "json"), written(shown.document))}
      >
        <FileDown size={16} />
      </Button>
      <span className="grow" />
      {props.startProblem && <span className="truncate text-missed">{props.startProblem}</span>}
      {run?.state === "failed" && !going && (
        <Sheet
          label="Why the run failed"
          className="w-96 p-3"
          trigger={
            <button
              type="button"
              className="min-w-0 truncate text-missed hover:underline"
              title="Read all of it"
            >
              <span role="alert">Run failed: {run.message}</span>
            </button>
          }
        >
          <p className="whitespace-pre-wrap">{run.message}</p>
        </Sheet>
      )}
      <VerdictTally
        standing={props.standing}
        stale={Object.values(props.standing.runs).some((each) => isOld(each, shown))}
      />
      {run?.state === "stopped" && (
        <span className="figures shrink-0 text-xs text-muted" data-testid="paused">
          {run.duration > 0
            ? `paused at ${show(run.simulated_time, "second", 3)} of ${show(run.duration, "second", 3)}`
            : "stopped"}
        </span>
      )}
      {going && <Progress run={run} duration={run.duration} />}
      {(shown.document.studies?.length ?? 0) > 0 ? (
        <select
          aria-label="Study"
          value={props.study}
          onChange={(event) => props.onStudy(event.target.value)}
          className="h-8 rounded-md border border-hairline bg-panel px-2"
        >
          {shown.document.studies?.map((study) => (
            <option key={study.id} value={study.id}>
              {study.title}
            </option>
          ))}
        </select>
      ) : (
        <NewStudy
          shown={shown}
          editing={editing}
          onStudy={props.onStudy}
          trigger={
            <Button
              disabled={(shown.document.parts?.length ?? 0) === 0}
              title="Add a study: what to try, for how long, what to look at"
            >
              New study
            </Button>
          }
        />
      )}
      {run?.goes_on && <GoOn key={run.id} run={run} blocked={going || props.starting} />}
      {chosen && <StudyMenu shown={shown} study={chosen} editing={editing} onStudy={props.onStudy} />}
      <Button
        look="main"
        disabled={going || props.starting || props.study === ""}
        aria-disabled={props.blocked !== undefined && !editing.saving}
        title={props.study === "" ? "There is no study yet" : (props.blocked ?? "Run the study")}
        onClick={props.onRun}
      >
        <Play size={14} /> Run
      </Button>
      <ThemeSwitch />
    </header>
  );
}

/** A document as it stands in a file. */
function written(supply: SupplyShown["document"]): Blob {
  return new Blob([`${JSON.stringify(supply, null, 2)}\n`], { type: "application/json" });
}

/** The supply's title, which is also the field that renames it. */
function Title({ title, onRename }: { title: string; onRename: (title: string) => void }) {
  const commit = (text: string) => {
    if (text.trim() !== "" && text !== title) onRename(text.trim());
  };
  return (
    <h1 className="min-w-0 shrink font-semibold">
      <input
        aria-label="Title of the supply"
        defaultValue={title}
        onBlur={(event) => commit(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") event.currentTarget.value = title;
        }}
        className="field-sizing-content max-w-full truncate rounded-sm bg-transparent px-1 hover:bg-ground"
      />
    </h1>
  );
}

/** How the supply stands over all its studies. */
function VerdictTally({ standing, stale }: { standing: Standing; stale: boolean }) {
  if (standing.verdicts.length === 0) return null;
  return (
    <span className="shrink-0 pr-2 text-xs" data-testid="verdict-tally">
      <Tally {...standings(standing.verdicts)} stale={stale} />
    </span>
  );
}

function Progress({ run, duration }: { run: Run; duration: number }) {
  const stop = useStopRun();
  // Where no time passes, it is a part already.
  const timeless = duration === 0;
  const part = Math.min(1, timeless ? run.simulated_time : run.simulated_time / duration);
  const left = secondsLeft(run, part);
  return (
    <span className="flex shrink-0 items-center gap-2 text-xs" data-testid="progress">
      <progress
        className="h-2 w-24 accent-[var(--copper)]"
        value={part}
        max={1}
        aria-label="Progress of the run"
      />
      <span className="figures">
        {run.state === "queued"
          ? "waiting"
          : `${Math.round(100 * part)}\u2009%${timeless ? "" : `, ${show(run.simulated_time, "second", 3)}`}`}
        {left !== undefined && `, ${left} s left`}
      </span>
      <Button
        aria-label="Pause the run"
        title="Pause: what there is is kept, and the run can go on from there"
        onClick={() => stop.mutate(run.id)}
        disabled={run.stopping || stop.isPending}
      >
        <Pause size={12} /> Pause
      </Button>
    </span>
  );
}
