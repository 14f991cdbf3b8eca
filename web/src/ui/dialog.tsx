import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

import { Button } from "./button";

interface Props {
  title: ReactNode;
  /** What the button that closes it is called. */
  close: string;
  /** What stands beside the title. */
  beside?: ReactNode;
  children: ReactNode;
  onClose: () => void;
  /** How wide and high it is. */
  className: string;
}

/** A window over everything else, with its title and the way out. */
export function Window({ title, close, beside, children, onClose, className }: Props) {
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-black/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`fixed top-1/2 left-1/2 z-40 flex max-h-[92vh] max-w-[96vw] -translate-x-1/2 -translate-y-1/2 flex-col rounded-md border border-hairline bg-panel shadow-soft ${className}`}
        >
          <header className="flex shrink-0 items-center gap-3 border-b border-hairline p-3">
            <Dialog.Title className="shrink-0 font-semibold">{title}</Dialog.Title>
            {beside}
            <span className="grow" />
            <Dialog.Close asChild>
              <Button look="quiet" aria-label={close}>
                <X size={16} />
              </Button>
            </Dialog.Close>
          </header>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
