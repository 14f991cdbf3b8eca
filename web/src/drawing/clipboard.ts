import type { Supply } from "../api/client";
import type { Editing } from "../frame/editing";

type Part = NonNullable<Supply["parts"]>[number];

/** Grid squares between a part and its copy. */
const BY: [number, number] = [6, 6];
/** What was copied last, in whichever supply of this window. */
let copied: Part[] = [];

/** Copies parts, puts copies of them beside what is there, and chooses these. */
export function useClipboard(supply: Supply, editing: Editing, onSelect: (parts: string[]) => void) {
  const chosen = (ids: string[]) => supply.parts?.filter((p) => ids.includes(p.id)) ?? [];
  const put = async (what: string, parts: Part[]) => {
    if (parts.length === 0) return;
    const made = await editing.compose(what, { edit: "paste", parts, by: BY });
    if (!made) return;
    const before = new Set(made.before.parts?.map((p) => p.id));
    onSelect(made.after.document.parts?.map((p) => p.id).filter((id) => !before.has(id)) ?? []);
  };
  return {
    copy: (ids: string[]) => {
      copied = structuredClone(chosen(ids));
    },
    paste: () => void put("paste", copied),
    duplicate: (ids: string[]) => void put(`duplicate ${ids.join(", ")}`, chosen(ids)),
  };
}
