import { useMemo } from "react";

import type { Supply } from "../api/client";
import type { Editing } from "../frame/editing";

/** The strips of a study as they stay with the supply, and the way to arrange them anew. */
export function useStrips(supply: Supply, study: string, editing: Editing) {
  const strips = useMemo(() => supply.studies?.find((s) => s.id === study)?.strips ?? [], [supply, study]);
  const arrange = (what: string, next: string[][]) =>
    editing.change(what, (document) => {
      const changed = document.studies?.find((s) => s.id === study);
      if (changed) changed.strips = next;
    });
  return [strips, arrange] as const;
}
