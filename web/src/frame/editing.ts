import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect, useState, useSyncExternalStore } from "react";

import type { SupplyShown } from "../api/client";
import { forget, keep, load } from "../changes/kept";
import { Changes } from "../changes/queue";
import { send } from "../changes/send";

/** How long the server is left in peace when it does not answer, ms. */
const PAUSE = 1500;

/** The changes of each supply opened in this window: they go on, and can be undone, while another is looked at. */
const opened = new Map<string, Changes>();

function pause(): Promise<void> {
  return new Promise((resolve) => {
    const done = () => {
      clearTimeout(timer);
      window.removeEventListener("online", done);
      resolve();
    };
    const timer = setTimeout(done, PAUSE);
    window.addEventListener("online", done);
  });
}

function changesOf(shown: SupplyShown, client: QueryClient): Changes {
  const { id } = shown;
  const known = opened.get(id);
  if (known) return known;
  const changes = new Changes(shown, {
    send: (request) => send(id, request),
    stored: (supply) => {
      client.setQueryData(["supply", id], supply);
      void client.invalidateQueries({ queryKey: ["supplies"] });
    },
    load: () => load(id),
    keep: (change) => keep(id, change),
    forget: (change) => forget(id, change),
    pause,
  });
  opened.set(id, changes);
  return changes;
}

/** Everything that changes a supply: shown at once, stored in its order, undone by name, never over someone else's change. */
export function useEditing(stored: SupplyShown) {
  const client = useQueryClient();
  const [changes] = useState(() => changesOf(stored, client));
  useEffect(() => changes.notice(stored), [changes, stored]);
  const standing = useSyncExternalStore(changes.subscribe, changes.snapshot);
  const { undoes, redoes } = standing;
  return {
    ...standing,
    /** Changes the document itself, as it is by then; answers once that is stored. */
    change: changes.change.bind(changes),
    /** Has the server make a change; answers with the supply before and after it. */
    compose: changes.compose.bind(changes),
    undo: undoes === undefined ? undefined : changes.undo,
    redo: redoes === undefined ? undefined : changes.redo,
    saving: standing.pending > 0,
    /** Whether all of it is stored, as soon as that is known. */
    settled: () => changes.settled(),
    /** The supply as it stands now, whatever was shown last. */
    newest: () => changes.snapshot().shown,
    overwrite: changes.overwrite,
    giveWay: changes.giveWay,
  };
}

export type Editing = ReturnType<typeof useEditing>;
