import { useEffect } from "react";

/** What can take the focus inside a pane. */
const FOCUSABLE = ["a[href]", "button", "input", "select", "textarea", "[tabindex]"]
  .map((one) => `${one}:not(:disabled, [tabindex='-1'])`)
  .join();

/** Leads from pane to pane by F6, and back with the shift key: the parts of a drawing need not be stepped through one by one. */
export function usePanes() {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "F6" || event.ctrlKey || event.altKey || event.metaKey) return;
      const panes = [...document.querySelectorAll<HTMLElement>("[data-pane]")];
      // What is over everything keeps the focus until it is closed.
      if (event.target instanceof Element && event.target.closest("[role=dialog], [role=alertdialog]"))
        return;
      // The innermost, where one lies over another.
      const at = panes.findLastIndex((pane) => pane.contains(document.activeElement));
      const step = event.shiftKey ? -1 : 1;
      const from = at < 0 && step < 0 ? panes.length : at;
      for (let k = 1; k <= panes.length; k++) {
        const pane = panes[(from + step * k + 2 * panes.length) % panes.length];
        const first = pane?.querySelector<HTMLElement>(FOCUSABLE);
        if (!first || pane?.offsetParent === null) continue;
        event.preventDefault();
        first.focus();
        return;
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
