import { Plus } from "lucide-react";
import type { ReactNode } from "react";

import { useStudyOffers, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";
import { KINDS } from "./kinds";

interface Props {
  shown: SupplyShown;
  editing: Editing;
  onStudy: (study: string) => void;
  /** What opens the menu; a plain button if left out. */
  trigger?: ReactNode;
}

/** Every kind of study, what fits this circuit first, with what it would be set to and why. */
export function NewStudy({ shown, editing, onStudy, trigger }: Props) {
  const offers = useStudyOffers(shown).data;
  const add = async (kind: keyof typeof KINDS) => {
    const name = KINDS[kind][0].toLowerCase();
    const before = new Set(shown.document.studies?.map((study) => study.id));
    const made = await editing.compose(`add the study ${name}`, { edit: "add_study", kind });
    const added = made?.after.document.studies?.filter((study) => !before.has(study.id)).at(-1);
    if (added) onStudy(added.id);
  };
  return (
    <Menu
      className="w-80 text-sm"
      trigger={
        trigger ?? (
          <Button look="quiet" aria-label="New study" title="Add a study">
            <Plus size={14} /> New
          </Button>
        )
      }
    >
      {offers?.proposed.map(({ study, fits, reason }) => (
        <MenuItem
          key={study.kind}
          disabled={!fits}
          className="grid data-[disabled]:opacity-60"
          onSelect={() => void add(study.kind)}
        >
          <span>
            {KINDS[study.kind][0]}
            <span className="text-muted">: {KINDS[study.kind][1]}</span>
          </span>
          <span className="text-xs text-muted">{reason}</span>
        </MenuItem>
      ))}
    </Menu>
  );
}
