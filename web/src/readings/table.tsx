import { Plus } from "lucide-react";
import { useState } from "react";

import { useMeasureTable, type Run, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { measured, show } from "../ui/quantity";
import { change } from "./change";
import { begun, described, named, type Reading } from "./draft";
import { ReadingPopover } from "./editor";
import { ReadyMenu } from "./ready";

interface Props {
  shown: SupplyShown;
  study: string;
  editing: Editing;
  run?: Run;
  before?: Run;
  /** The newest run of each study, for what is read in others. */
  elsewhere: Record<string, Run>;
}

/** The readings, of this run and the one before; each opens to be changed. */
export function Readings({ shown, study, editing, run, before, elsewhere }: Props) {
  const { document: supply } = shown;
  const measures = useMeasureTable();
  const [open, setOpen] = useState<string>();
  const result = (of: Run | undefined, id: string) => of?.outcome?.readings.find((r) => r.id === id);
  const findings = (id: string) =>
    shown.findings.filter((f) => f.place.at === "reading" && f.place.reading === id);
  // A reading that turns out to be wrong opens again, with what is wrong.
  const [kept, setKept] = useState<{ id: string; revision: number }>();
  if (kept && kept.revision !== shown.revision) {
    if (findings(kept.id).length > 0) setOpen(kept.id);
    setKept(undefined);
  }
  const keep = (reading: Reading) => {
    const known = supply.readings?.some((r) => r.id === reading.id);
    if (!known) reading = { ...reading, id: named(supply, reading.title) };
    editing.change(`${known ? "change" : "add"} the reading ${reading.title.toLowerCase()}`, (document) => {
      const others = document.readings ?? [];
      document.readings = known
        ? others.map((r) => (r.id === reading.id ? reading : r))
        : [...others, reading];
    });
    setOpen(undefined);
    setKept({ id: reading.id, revision: shown.revision });
  };
  const remove = (reading: Reading) => {
    editing.change(`remove the reading ${reading.title.toLowerCase()}`, (document) => {
      document.readings = document.readings?.filter((r) => r.id !== reading.id);
      document.requirements = document.requirements?.filter((r) => r.reading !== reading.id);
    });
    setOpen(undefined);
  };
  const beginning = begun(supply, study);
  // What is read in the study shown comes first.
  const all = supply.readings ?? [];
  const ordered = [...all.filter((r) => r.study === study), ...all.filter((r) => r.study !== study)];
  const titleOf = (id: string) => supply.studies?.find((s) => s.id === id)?.title ?? id;
  return (
    <section className="border-l border-hairline" aria-label="Readings of the supply">
      <table className="w-full" aria-label="Readings">
        <thead className="text-left text-xs text-muted">
          <tr>
            <th className="px-3 py-1 font-normal">Reading</th>
            <th className="px-2 text-right font-normal">This run</th>
            <th className="px-3 text-right font-normal">Before</th>
            <th className="w-20 px-3 text-right font-normal">Change</th>
          </tr>
        </thead>
        <tbody>
          {ordered.map((reading) => {
            const own = reading.study === study;
            const now = result(own ? run : elsewhere[reading.study], reading.id);
            const then = own ? result(before, reading.id) : undefined;
            const wrong = findings(reading.id).length > 0;
            return (
              <tr key={reading.id} className="border-t border-hairline" data-testid={`reading-${reading.id}`}>
                <td className="px-3 py-1" title={described(reading, measures, supply)}>
                  <ReadingPopover
                    shown={shown}
                    key={JSON.stringify(reading)}
                    reading={reading}
                    findings={findings(reading.id)}
                    open={open === reading.id}
                    onOpen={(opened) => setOpen(opened ? reading.id : undefined)}
                    onKeep={keep}
                    onRemove={() => remove(reading)}
                    trigger={
                      <button
                        type="button"
                        className={`cursor-pointer text-left hover:underline ${wrong ? "text-missed" : ""}`}
                      >
                        {reading.title}
                      </button>
                    }
                  />
                  {!own && <span className="ml-2 text-xs text-muted">{titleOf(reading.study)}</span>}
                </td>
                <td className="figures px-2 text-right whitespace-nowrap" title={now?.problem ?? undefined}>
                  {now ? measured(now.value, now.unit) : "–"}
                  {now?.value == null && now?.problem && (
                    <span className="ml-auto block max-w-64 text-right text-xs whitespace-normal text-muted">
                      {now.problem}
                    </span>
                  )}
                  {now?.metered != null && (
                    <span className="block text-xs text-muted" data-testid={`metered-${reading.id}`}>
                      metered {show(now.metered, now.unit)}
                      {now.value != null && `, ${change(now.value, now.metered)}`}
                    </span>
                  )}
                </td>
                <td className="figures px-3 text-right whitespace-nowrap text-muted">
                  {then ? measured(then.value, then.unit) : ""}
                </td>
                <td className="figures px-3 text-right whitespace-nowrap text-muted">
                  {own && change(now?.value, then?.value)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <div className="border-t border-hairline px-2 py-0.5">
        <ReadingPopover
          shown={shown}
          key={beginning.id}
          isNew
          reading={beginning}
          findings={[]}
          open={open === "new"}
          onOpen={(opened) => setOpen(opened ? "new" : undefined)}
          onKeep={keep}
          trigger={
            <Button look="quiet" className="h-6 text-xs" disabled={!study}>
              <Plus size={13} /> Add reading
            </Button>
          }
        />
        <ReadyMenu shown={shown} study={study} editing={editing} />
      </div>
    </section>
  );
}
