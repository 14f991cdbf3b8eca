import { ListPlus } from "lucide-react";

import { useReadyMade, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";

interface Props {
  shown: SupplyShown;
  study: string;
  editing: Editing;
}

/** Readings engineers take of nearly every supply, made for this one; what is there already is not added again. */
export function ReadyMenu({ shown, study, editing }: Props) {
  const ready = useReadyMade(shown, study);
  const there = new Set(shown.document.readings?.map((r) => r.id));
  const left = ready.filter((each) => each.readings.some((reading) => !there.has(reading.id)));
  if (left.length === 0) return null;
  return (
    <Menu
      align="start"
      className="max-w-96"
      trigger={
        <Button look="quiet" className="h-6 text-xs">
          <ListPlus size={13} /> Ready made
        </Button>
      }
    >
      {left.map((each) => (
        <MenuItem
          key={each.title}
          onSelect={() =>
            editing.change(`add ${each.title.toLowerCase()}`, (document) => {
              for (const { part: id, parameter, value } of each.settings) {
                const part = document.parts.find((part) => part.id === id);
                if (part) part.parameters = { ...part.parameters, [parameter]: value };
              }
              const { study } = each;
              if (study && !document.studies.some((s) => s.id === study.id)) document.studies.push(study);
              const known = new Set(document.readings?.map((r) => r.id));
              const added = each.readings.filter((reading) => !known.has(reading.id));
              document.readings = [...(document.readings ?? []), ...added];
            })
          }
        >
          {each.title}
          <span className="block text-xs text-muted">{each.help}</span>
        </MenuItem>
      ))}
    </Menu>
  );
}
