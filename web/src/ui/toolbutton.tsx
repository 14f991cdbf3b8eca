import type { ComponentProps } from "react";

/** A small quiet button in a toolbar, an icon or a word. */
export function ToolButton({ label, title, ...rest }: ComponentProps<"button"> & { label: string }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={title ?? label}
      {...rest}
      className={`inline-flex h-7 min-w-7 shrink-0 items-center justify-center gap-1 rounded-md px-1 text-xs font-semibold whitespace-nowrap text-muted hover:text-ink disabled:cursor-not-allowed disabled:opacity-40 ${rest.className ?? ""}`}
    />
  );
}
