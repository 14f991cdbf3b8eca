import { useState } from "react";

import { askJoining, type Edit, type Joining } from "../api/client";
import type { Editing } from "../frame/editing";
import { Ask } from "../ui/ask";

type Joins = Extract<Edit, { join: boolean }>;

interface Pending {
  what: string;
  edit: Edit;
  joining: Joining;
}

/** Makes changes that may join two nets; asks first where that shorts something or loses a name. */
export function useJoining(supply: string, editing: Editing) {
  const [pending, setPending] = useState<Pending>();
  const join = async (what: string, from: string | undefined, to: string | undefined, edit: Joins) => {
    const joining = from && to && from !== to ? await askJoining(supply, from, to) : undefined;
    if (joining?.asks) setPending({ what, edit: { ...edit, join: true }, joining });
    else void editing.compose(what, edit);
  };
  const dialog = pending && (
    <Ask
      title={`Join ${pending.joining.gone} and ${pending.joining.kept}?`}
      warns={pending.joining.shorted.length > 0}
      doIt="Join them"
      leaveIt="Keep them apart"
      onDo={() => {
        void editing.compose(pending.what, pending.edit);
        setPending(undefined);
      }}
      onLeave={() => setPending(undefined)}
    >
      {pending.joining.message}
    </Ask>
  );
  return { join, dialog };
}
