import { useEffect, useMemo, useRef, useState } from "react";
import { useParams } from "react-router";

import {
  isOver,
  judges,
  useJudged,
  useFollow,
  usePartKinds,
  useRuns,
  useStartRun,
  useStress,
  useSupply,
  whyBlocked,
  type SupplyShown,
} from "../api/client";
import { Compare } from "../compare/compare";
import { Desk } from "../desk/desk";
import { History } from "../history/history";
import { Materials } from "../materials/materials";
import { Requirements } from "../requirements/requirements";
import { entered } from "../ui/entering";
import { Notice } from "../ui/states";
import { Away } from "./away";
import { ConflictBar } from "./conflict";
import { useEditing } from "./editing";
import { usePanes } from "./panes";
import { PowerPath } from "./powerpath";
import { Rail } from "./rail";
import { useStanding } from "./standing";
import { TitleBar } from "./titlebar";

/** What stands around every view of a supply: title bar, power path, rail. */
export function SupplyFrame() {
  const { supply: id = "", view = "desk" } = useParams();
  const supply = useSupply(id);
  // What is there stays, whatever became of the last look at it.
  if (!supply.data) return <Notice>{supply.error?.message ?? "Opening the supply…"}</Notice>;
  return <OpenFrame key={id} stored={supply.data} view={view} />;
}

function OpenFrame({ stored, view }: { stored: SupplyShown; view: string }) {
  const editing = useEditing(stored);
  const { shown } = editing;
  const { id, document: supply } = shown;
  const kinds = usePartKinds();
  const runs = useRuns(id);
  const start = useStartRun(id);
  const [parts, setParts] = useState<string[]>([]);
  const [stage, setStage] = useState<string>();
  const [chosen, setStudy] = useState<string>();
  const [known, setKnown] = useState(supply.studies);
  if (known !== supply.studies) {
    // A study that has just been added is the one to go on with.
    const added = supply.studies?.filter((s) => !known?.some((k) => k.id === s.id));
    if (added?.length === 1) setStudy(added[0]?.id);
    setKnown(supply.studies);
  }
  const study = supply.studies?.find((s) => s.id === chosen)?.id ?? supply.studies?.[0]?.id ?? "";

  const ofStudy = useMemo(() => runs.data?.filter((r) => r.study === study) ?? [], [runs.data, study]);
  const computed = ofStudy.filter(judges);
  const run = useJudged(computed[0], shown, runs.data, !editing.saving);
  const before = useJudged(
    computed.slice(1).find((r) => r.state === "done" && !r.passing),
    shown,
    runs.data,
    !editing.saving,
  );
  useFollow(id, run);
  const standing = useStanding(shown, runs.data, study, run);

  const stress = useStress(shown, runs.data).data;
  const findings = useMemo(
    () => [...shown.findings, ...(stress?.findings ?? [])],
    [shown.findings, stress?.findings],
  );
  usePanes();
  const blocked = whyBlocked(shown.findings);
  const runIt = async () => {
    // What stands in a field is meant to be run with.
    const at = document.activeElement;
    if (at instanceof HTMLElement) at.blur();
    const taken = await entered();
    if (at instanceof HTMLElement && document.activeElement === document.body)
      at.focus({ preventScroll: true });
    if (!taken) return;
    // What was refused before stands in its field still, and is not passed over.
    const invalid = [...document.querySelectorAll<HTMLElement>("input[aria-invalid=true]")];
    const refused = invalid.find((field) => field.offsetParent !== null);
    if (refused) return refused.focus();
    if ((await editing.settled()) && !whyBlocked(editing.newest().findings)) start.mutate({ study });
  };
  const going = run !== undefined && !isOver(run);
  const shortcuts = useRef({ undo: editing.undo, redo: editing.redo, run: () => {} });
  useEffect(() => {
    const run = () => void (blocked || going || start.isPending || study === "" || runIt());
    shortcuts.current = { undo: editing.undo, redo: editing.redo, run };
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "Escape" && !event.defaultPrevented) {
        setParts([]);
        setStage(undefined);
      }
      if (!(event.ctrlKey || event.metaKey)) return;
      // What stands in a dialog is entered there.
      const inDialog = event.target instanceof Element && event.target.closest("[role=dialog]");
      if (event.key === "Enter" && !inDialog) shortcuts.current.run();
      if (event.target instanceof HTMLInputElement) return;
      // With the shift key it is a capital.
      if (event.key.toLowerCase() !== "z") return;
      event.preventDefault();
      shortcuts.current[event.shiftKey ? "redo" : "undo"]?.();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <div className="flex h-full min-h-[34rem] flex-col">
      <TitleBar
        shown={shown}
        editing={editing}
        study={study}
        onStudy={setStudy}
        run={run}
        standing={standing}
        blocked={blocked}
        startProblem={start.error?.message}
        onRun={() => void runIt()}
        starting={start.isPending}
      />
      <Away />
      {editing.conflict && (
        <ConflictBar what={editing.conflict} onTheirs={editing.giveWay} onMine={editing.overwrite} />
      )}
      <PowerPath
        supply={supply}
        findings={findings}
        outcome={run && isOver(run) ? run.outcome : before?.outcome}
        stage={stage}
        onStage={(next) => setStage(next === stage ? undefined : next)}
        onAdded={setStage}
        editing={editing}
      />
      <div className="flex min-h-0 grow">
        <Rail supply={id} view={view} />
        <main className="min-w-0 grow">
          {view === "requirements" && (
            <Requirements shown={shown} editing={editing} verdicts={standing.verdicts} />
          )}
          {view === "compare" && <Compare key={study} shown={shown} study={study} editing={editing} />}
          {view === "materials" && <Materials shown={shown} />}
          {view === "history" && <History shown={shown} editing={editing} />}
          {view === "desk" && (
            <Desk
              shown={shown}
              kinds={kinds.data ?? []}
              findings={findings}
              runs={runs.data}
              editing={editing}
              study={study}
              onStudy={setStudy}
              run={run}
              standing={standing}
              before={before}
              others={ofStudy.filter((r) => isOver(r) && !r.passing)}
              parts={parts}
              onParts={setParts}
              stage={stage}
              onStage={setStage}
            />
          )}
        </main>
      </div>
    </div>
  );
}
