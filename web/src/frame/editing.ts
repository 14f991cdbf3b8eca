import { useRef, useState } from "react";

import {
  Stale,
  useEditSupply,
  useSaveSupply,
  type Conflict,
  type Edit,
  type Restoring,
  type Supply,
  type SupplyShown,
} from "../api/client";

interface Step {
  /** The document to go back or forward to. */
  document: Supply;
  /** What the step did, for the buttons that undo and redo it. */
  what: string;
}

/** Everything that changes a supply: saved at once, undone by name, never over someone else's change. */
export function useEditing(shown: SupplyShown) {
  const { id, document: supply } = shown;
  const save = useSaveSupply(id);
  const path = useEditSupply(id);
  const [conflict, setConflict] = useState<Conflict>();
  const past = useRef<Step[]>([]);
  const future = useRef<Step[]>([]);
  const [steps, setSteps] = useState<{ undo?: string; redo?: string }>({});

  const note = () => setSteps({ undo: past.current.at(-1)?.what, redo: future.current.at(-1)?.what });
  const outcome = {
    onError: (error: Error) => error instanceof Stale && setConflict(error.conflict),
    onSuccess: () => setConflict(undefined),
  };
  const store = (document: Supply, revision?: number, then?: () => void) => {
    // What went wrong before is no longer what the title bar has to say.
    path.reset();
    const onSuccess = () => {
      outcome.onSuccess();
      then?.();
    };
    save.mutate({ document, revision }, { ...outcome, onSuccess });
  };
  const remember = (what: string) => {
    past.current.push({ document: supply, what });
    future.current = [];
    note();
  };
  const step = (from: Step[], to: Step[]) => {
    const target = from.pop();
    if (!target) return;
    to.push({ document: supply, what: target.what });
    note();
    store(target.document);
  };
  const problem = save.error ?? path.error;
  return {
    /** Changes the document itself; `then` is done as soon as that is stored. */
    change: (what: string, change: (document: Supply) => void, then?: () => void) => {
      const next = structuredClone(supply);
      change(next);
      // What leaves all as it was is no step to undo and no revision.
      if (JSON.stringify(next) === JSON.stringify(supply)) return;
      remember(what);
      store(next, undefined, then);
    },
    /** Has the server make a change; answers with the stored supply. */
    compose: async (what: string, edit: Edit | Restoring) => {
      save.reset();
      const stored = await path.mutateAsync(edit, outcome).catch(() => undefined);
      if (stored) remember(what);
      return stored;
    },
    undo: steps.undo === undefined ? undefined : () => step(past.current, future.current),
    redo: steps.redo === undefined ? undefined : () => step(future.current, past.current),
    undoes: steps.undo,
    redoes: steps.redo,
    saving: save.isPending || path.isPending,
    problem: problem && !(problem instanceof Stale) ? problem.message : undefined,
    conflict,
    overwrite: () => conflict && store(conflict.yours, conflict.current.revision),
  };
}

export type Editing = ReturnType<typeof useEditing>;
