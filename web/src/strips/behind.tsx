import { Layers } from "lucide-react";
import { DropdownMenu } from "radix-ui";

import { nameOf, type Run } from "../api/client";
import { Button } from "../ui/button";
import { Menu, MenuCheck } from "../ui/menu";

interface Props {
  runs: Run[];
  /** Ids of the runs behind; differences are taken from the first. */
  chosen: string[];
  onChoose: (runs: string[]) => void;
}

/** Runs behind at once. */
const MOST = 5;

const said = (run: Run) => `${nameOf(run)}${run.marked && !run.measured ? " (kept)" : ""}`;

/** The runs that stand behind the traces: one that differences are taken from, and more to be overlaid. */
export function ReferenceMenu({ runs, chosen, onChoose }: Props) {
  const [first = "", ...more] = chosen;
  if (runs.length === 0) return null;
  return (
    <span className="flex min-w-0 shrink items-center gap-1">
      <label className="flex min-w-0 shrink items-center gap-1">
        Behind
        <select
          aria-label="Run behind the traces"
          title="Draws the traces of another run thinner and paler behind"
          value={first}
          onChange={(event) => {
            const next = event.target.value;
            onChoose(next ? [next, ...more.filter((id) => id !== next)] : []);
          }}
          className="h-6 max-w-44 min-w-0 shrink rounded-md border border-hairline bg-panel px-1"
        >
          <option value="">no other run</option>
          {runs.map((run) => (
            <option key={run.id} value={run.id}>
              {said(run)}
            </option>
          ))}
        </select>
      </label>
      {first && runs.length > 1 && (
        <Menu
          trigger={
            <Button
              look="quiet"
              className="h-6 px-1 text-xs"
              aria-label="Overlay more runs"
              title="Overlay more runs"
            >
              <Layers size={13} /> {more.length > 0 && `+${more.length}`}
            </Button>
          }
        >
          <DropdownMenu.Label className="px-2 py-1 text-xs text-muted">
            Behind too, dashed; differences stay with the first
          </DropdownMenu.Label>
          {runs
            .filter((run) => run.id !== first)
            .map((run) => (
              <MenuCheck
                key={run.id}
                checked={more.includes(run.id)}
                disabled={!more.includes(run.id) && more.length >= MOST - 1}
                onCheckedChange={(on) =>
                  onChoose([first, ...(on ? [...more, run.id] : more.filter((id) => id !== run.id))])
                }
              >
                {said(run)}
              </MenuCheck>
            ))}
        </Menu>
      )}
    </span>
  );
}
