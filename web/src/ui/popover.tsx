import { Popover } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  label: string;
  trigger: ReactNode;
  children: ReactNode;
  /** Given where it is closed by what happens inside. */
  open?: boolean;
  onOpen?: (open: boolean) => void;
  align?: "start" | "end";
  className?: string;
}

/** A small sheet that opens at its trigger. */
export function Sheet({ label, trigger, children, open, onOpen, align = "end", className = "" }: Props) {
  return (
    <Popover.Root open={open} onOpenChange={onOpen}>
      <Popover.Trigger asChild>{trigger}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align={align}
          sideOffset={4}
          collisionPadding={8}
          aria-label={label}
          className={`z-20 max-h-(--radix-popover-content-available-height) overflow-auto rounded-md border border-hairline bg-panel shadow-soft ${className}`}
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
