import { AlertDialog } from "radix-ui";
import { useState } from "react";

import { askJoining, type Edit, type Joining } from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";

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
    <JoinDialog
      joining={pending.joining}
      onJoin={() => {
        void editing.compose(pending.what, pending.edit);
        setPending(undefined);
      }}
      onLeave={() => setPending(undefined)}
    />
  );
  return { join, dialog };
}

interface Props {
  joining: Joining;
  onJoin: () => void;
  onLeave: () => void;
}

function JoinDialog({ joining, onJoin, onLeave }: Props) {
  const { kept, gone, message, shorted } = joining;
  return (
    <AlertDialog.Root open onOpenChange={(open) => !open && onLeave()}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-30 bg-black/30" />
        <AlertDialog.Content className="fixed top-1/3 left-1/2 z-40 w-[440px] -translate-x-1/2 rounded-md border border-hairline bg-panel p-4 shadow-soft">
          <AlertDialog.Title className="font-semibold">
            Join {gone} and {kept}?
          </AlertDialog.Title>
          <AlertDialog.Description className={`mt-2 ${shorted.length > 0 ? "text-missed" : "text-muted"}`}>
            {message}
          </AlertDialog.Description>
          <div className="mt-4 flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Button>Keep them apart</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button look="main" onClick={onJoin}>
                Join them
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
