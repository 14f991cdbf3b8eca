import { useEffect, useMemo, useRef, useState } from "react";
import { useParams } from "react-router";
import { Group, Panel, Separator } from "react-resizable-panels";

import {
  isOver,
  Stale,
  useFollow,
  usePartKinds,
  useRuns,
  useSaveSupply,
  useStartRun,
  useSupply,
  type Conflict,
  type Supply,
  type SupplyShown,
} from "../api/client";
import { Notice } from "../ui/states";
import { ConflictBar } from "./conflict";
import { Dock } from "./dock";
import { Drawing } from "./drawing";
import { Inspector } from "./inspector";
import { PowerPath } from "./powerpath";
import { Strips } from "./strips";
import { TitleBar } from "./titlebar";

/** The main view: drawing, strips, numbers. */
export function Desk() {
  const { supply: id = "" } = useParams();
  const supply = useSupply(id);
  if (supply.isError) return <Notice>{supply.error.message}</Notice>;
  if (!supply.data) return <Notice>Opening the supply…</Notice>;
  return <OpenDesk key={id} shown={supply.data} />;
}

function OpenDesk({ shown }: { shown: SupplyShown }) {
  const { id, document: supply } = shown;
  const kinds = usePartKinds();
  const runs = useRuns(id);
  const save = useSaveSupply(id);
  const start = useStartRun(id);
  const [part, setPart] = useState<string>();
  const [stage, setStage] = useState<string>();
  const [study, setStudy] = useState(supply.studies?.[0]?.id ?? "");
  const [conflict, setConflict] = useState<Conflict>();
  const past = useRef<Supply[]>([]);
  const future = useRef<Supply[]>([]);
  const [depth, setDepth] = useState({ undo: 0, redo: 0 });

  const ofStudy = useMemo(() => runs.data?.filter((r) => r.study === study) ?? [], [runs.data, study]);
  const run = ofStudy[0];
  const before = ofStudy.slice(1).find((r) => r.state === "done");
  useFollow(id, run);

  const noteDepth = () => setDepth({ undo: past.current.length, redo: future.current.length });
  const store = (document: Supply, revision?: number) =>
    save.mutate(
      { document, revision },
      {
        onError: (error) => error instanceof Stale && setConflict(error.conflict),
        onSuccess: () => setConflict(undefined),
      },
    );
  const edit = (change: (document: Supply) => void) => {
    const next = structuredClone(supply);
    change(next);
    past.current.push(supply);
    future.current = [];
    noteDepth();
    store(next);
  };
  const step = (from: Supply[], to: Supply[]) => {
    const target = from.pop();
    if (!target) return;
    to.push(supply);
    noteDepth();
    store(target);
  };
  const undo = () => step(past.current, future.current);
  const redo = () => step(future.current, past.current);

  const shortcuts = useRef({ undo, redo });
  useEffect(() => {
    shortcuts.current = { undo, redo };
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "Escape") {
        setPart(undefined);
        setStage(undefined);
      }
      if (!(event.ctrlKey || event.metaKey) || event.target instanceof HTMLInputElement) return;
      if (event.key === "z") shortcuts.current[event.shiftKey ? "redo" : "undo"]();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);

  const blocked = shown.findings.some((f) => f.severity === "error");
  const chosen = supply.parts?.find((p) => p.id === part);
  const kind = kinds.data?.find((k) => k.id === chosen?.kind);
  return (
    <div className="flex h-full flex-col">
      <TitleBar
        shown={shown}
        saving={save.isPending}
        saveProblem={save.error && !(save.error instanceof Stale) ? save.error.message : undefined}
        study={study}
        onStudy={setStudy}
        run={run}
        blocked={blocked}
        startProblem={start.error?.message}
        onRun={() => start.mutate(study)}
        starting={start.isPending}
        undo={depth.undo > 0 ? undo : undefined}
        redo={depth.redo > 0 ? redo : undefined}
      />
      {conflict && (
        <ConflictBar
          conflict={conflict}
          onTheirs={() => location.reload()}
          onMine={() => store(conflict.yours, conflict.current.revision)}
        />
      )}
      <PowerPath
        supply={supply}
        outcome={run && isOver(run) ? run.outcome : before?.outcome}
        stage={stage}
        onStage={(next) => setStage(next === stage ? undefined : next)}
      />
      <Group orientation="vertical" className="min-h-0 grow">
        <Panel defaultSize="66%" minSize="30%">
          <Group orientation="horizontal">
            <Panel defaultSize="44%" minSize="20%">
              <Drawing
                drawing={shown.drawing}
                kinds={kinds.data ?? []}
                findings={shown.findings}
                part={part}
                stage={stage}
                onPart={setPart}
              />
            </Panel>
            <Separator
              aria-label="Width of drawing and strips"
              className="w-px bg-hairline data-[separator=active]:bg-copper"
            />
            <Panel minSize="25%">
              <Strips key={study} supply={supply} study={study} run={run} />
            </Panel>
          </Group>
        </Panel>
        <Separator
          aria-label="Height of the dock"
          className="h-px bg-hairline data-[separator=active]:bg-copper"
        />
        <Panel minSize="12%">
          <div className="relative h-full">
            <Dock shown={shown} run={run} before={before} onPart={setPart} />
            {chosen && kind && (
              <Inspector
                key={chosen.id}
                supply={shown}
                part={chosen}
                kind={kind}
                onClose={() => setPart(undefined)}
                onParameter={(parameter, text) =>
                  edit((document) => {
                    const target = document.parts?.find((p) => p.id === chosen.id);
                    if (target) target.parameters = { ...target.parameters, [parameter]: text };
                  })
                }
              />
            )}
          </div>
        </Panel>
      </Group>
    </div>
  );
}
