import { AlertDialog } from "radix-ui";
import type { ReactNode } from "react";

import { Button } from "./button";

interface Props {
  title: ReactNode;
  /** What will become of it. */
  children: ReactNode;
  /** Whether what is said is a warning. */
  warns?: boolean;
  /** The words on the buttons. */
  doIt: string;
  leaveIt: string;
  onDo: () => void;
  onLeave: () => void;
}

/** Asks before something is done that a slip of the hand should not do. */
export function Ask({ title, children, warns, doIt, leaveIt, onDo, onLeave }: Props) {
  return (
    <AlertDialog.Root open onOpenChange={(open) => !open && onLeave()}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-30 bg-black/30" />
        <AlertDialog.Content className="fixed top-1/3 left-1/2 z-40 w-[440px] -translate-x-1/2 rounded-md border border-hairline bg-panel p-4 shadow-soft">
          <AlertDialog.Title className="font-semibold">{title}</AlertDialog.Title>
          <AlertDialog.Description className={`mt-2 ${warns ? "text-missed" : "text-muted"}`}>
            {children}
          </AlertDialog.Description>
          <div className="mt-4 flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Button>{leaveIt}</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button look="main" onClick={onDo}>
                {doIt}
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
