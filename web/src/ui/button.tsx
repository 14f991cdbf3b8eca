import type { ComponentProps } from "react";

const BASE =
  "inline-flex h-8 shrink-0 items-center gap-1.5 rounded-md px-3 text-sm font-semibold transition-colors duration-100 " +
  "whitespace-nowrap disabled:cursor-not-allowed disabled:opacity-50";
const LOOKS = {
  main: "bg-copper text-panel hover:opacity-90",
  plain: "border border-hairline bg-panel text-ink hover:border-muted",
  quiet: "px-2 text-muted hover:text-ink",
};

export function Button({
  look = "plain",
  ...rest
}: ComponentProps<"button"> & { look?: keyof typeof LOOKS }) {
  return <button type="button" {...rest} className={`${BASE} ${LOOKS[look]} ${rest.className ?? ""}`} />;
}
