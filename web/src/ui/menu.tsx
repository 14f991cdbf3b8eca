import { DropdownMenu } from "radix-ui";
import type { ComponentProps, ReactNode } from "react";

/** What a menu's entry looks like. */
export const ITEM = "cursor-pointer rounded-sm px-2 py-1 outline-none data-[highlighted]:bg-copper-soft";
const SURFACE =
  "z-20 max-h-(--radix-dropdown-menu-content-available-height) overflow-auto rounded-md border border-hairline bg-panel p-1 shadow-soft";

interface Props {
  trigger: ReactNode;
  children: ReactNode;
  align?: "start" | "end";
  className?: string;
}

/** A menu that opens at its trigger. */
export function Menu({ trigger, children, align = "end", className = "" }: Props) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{trigger}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align={align}
          sideOffset={4}
          collisionPadding={8}
          className={`${SURFACE} ${className}`}
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** An entry that is switched on and off, while the menu stays open. */
export function MenuCheck({
  children,
  className = "",
  ...rest
}: ComponentProps<typeof DropdownMenu.CheckboxItem>) {
  return (
    <DropdownMenu.CheckboxItem
      {...rest}
      onSelect={(event) => event.preventDefault()}
      className={`${ITEM} flex items-center gap-2 py-0.5 data-[disabled]:opacity-50 ${className}`}
    >
      <span className="w-3" aria-hidden="true">
        {rest.checked ? "✓" : ""}
      </span>
      {children}
    </DropdownMenu.CheckboxItem>
  );
}

/** An entry of a menu. */
export function MenuItem({ className = "", ...rest }: ComponentProps<typeof DropdownMenu.Item>) {
  return <DropdownMenu.Item {...rest} className={`${ITEM} ${className}`} />;
}
