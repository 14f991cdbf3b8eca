import { Plus } from "lucide-react";
import { Link } from "react-router";

import { useMeasureTable, type Supply, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import type { Verdict } from "../frame/standing";
import { described } from "../readings/draft";
import { Button } from "../ui/button";
import { Verdicts } from "../ui/verdicts";
import { Limits } from "./limits";
import { OutputRow } from "./output";
import { SourceForm } from "./source";

interface Props {
  shown: SupplyShown;
  editing: Editing;
  verdicts: Verdict[];
}

/** What the supply is fed from, what it must deliver, and how the latest run stands to it. */
export function Requirements({ shown, editing, verdicts }: Props) {
  const { document: supply, findings } = shown;
  const source = supply.source ?? { kind: "mains", voltage: "230" };
  const outputs = supply.outputs ?? [];
  const state = (what: string, change: (document: Supply) => void) => void editing.change(what, change, true);
  const free = (n: number): string => (outputs.some((o) => o.id === `out${n}`) ? free(n + 1) : `out${n}`);
  const measures = useMeasureTable();
  const decidedBy = (id: string) => {
    const reading = supply.readings?.find((r) => r.id === id);
    const study = supply.studies?.find((s) => s.id === reading?.study);
    return reading ? `${described(reading, measures, supply)}, ${study?.title ?? reading.study}` : "";
  };
  const add = () =>
    state("add an output", (document) => {
      document.source ??= source;
      document.outputs = [
        ...(document.outputs ?? []),
        { id: free(1), title: "Output", voltage: "5", current: "100m" },
      ];
    });
  return (
    <div className="grid h-full grid-cols-[minmax(0,5fr)_minmax(0,6fr)] overflow-auto">
      <section className="grid content-start gap-5 border-r border-hairline p-4" aria-label="Demands">
        <SourceForm
          supply={shown.id}
          source={source}
          findings={findings.filter((f) => f.place.at === "source")}
          onChange={(next) =>
            state("change the source", (document) => {
              document.source = next(document.source ?? source);
            })
          }
        />
        <div className="grid gap-2">
          <div className="flex items-center">
            <h2 className="grow font-semibold">Outputs</h2>
            <Button onClick={add}>
              <Plus size={14} /> Add output
            </Button>
          </div>
          {outputs.length === 0 && (
            <p className="text-muted">
              State at least one voltage the supply must deliver; the stages are sized from it.
            </p>
          )}
          {outputs.map((output) => (
            <OutputRow
              key={output.id}
              supply={shown.id}
              output={output}
              findings={findings.filter((f) => f.place.at === "output" && f.place.output === output.id)}
              onChange={(next) =>
                state(`change ${output.title.toLowerCase()}`, (document) => {
                  document.outputs = document.outputs?.map((o) => (o.id === output.id ? next(o) : o));
                })
              }
              onRemove={() =>
                state(`remove ${output.title.toLowerCase()}`, (document) => {
                  document.outputs = document.outputs?.filter((o) => o.id !== output.id);
                })
              }
            />
          ))}
        </div>
        {outputs.length > 0 && (
          <p>
            <Link className="text-copper underline" to={`/supplies/${shown.id}/desk`}>
              {supply.stages?.length ? "Go to the desk" : "Build the power path at the desk"}
            </Link>
          </p>
        )}
      </section>
      <section className="p-4" aria-label="Limits">
        <h2 className="font-semibold">Limits and verdicts</h2>
        <p className="mb-2 text-muted">
          Each output is judged by its mean and its ripple as soon as a load or a regulator serves it.
        </p>
        <Verdicts supply={supply} verdicts={verdicts} decidedBy={decidedBy} />
        <Limits shown={shown} editing={editing} />
      </section>
    </div>
  );
}
