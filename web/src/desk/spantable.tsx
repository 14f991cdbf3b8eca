import { DropdownMenu } from "radix-ui";
import { Plus, SlidersHorizontal, X } from "lucide-react";
import { Fragment, useState } from "react";

import { useMeasureTable, type Measure, type SpanMeasures, type Unit } from "../api/client";
import { Button } from "../ui/button";
import { FIELD } from "../ui/field";
import { MenuCheck } from "../ui/menu";
import { Sheet } from "../ui/popover";
import { measured } from "../ui/quantity";

interface Props {
  measures: SpanMeasures[];
  /** The same of the run that stands behind, as far as it has them; empty if none does. */
  behind: SpanMeasures[];
  /** What is shown beside the usual columns. */
  more: Measure["id"][];
  onMore: (more: Measure["id"][]) => void;
  /** Formulas of what is measured, which have columns of their own. */
  formulas: string[];
  onFormulas: (formulas: string[]) => void;
  colour: (signal: string) => string;
}

const HEADS = ["at A", "at B", "B − A", "mean", "RMS", "peak-to-peak", "frequency"];
/** What the usual columns show already. */
const USUAL = new Set<Measure["id"]>(["mean", "rms", "peak_to_peak", "frequency", "value_at"]);

/** What the span ruler reads: every trace at A and B, and over the span between them. */
export function SpanTable({ measures, behind, more, onMore, formulas, onFormulas, colour }: Props) {
  const table = useMeasureTable();
  const name = (id: Measure["id"]) => table.find((m) => m.id === id)?.name.toLowerCase() ?? id;
  const offered = table.filter((m) => m.of === "signal" && !USUAL.has(m.id));
  return (
    <div className="max-h-28 shrink-0 overflow-auto border-t border-hairline bg-panel">
      <table className="w-full text-xs" aria-label="Span">
        <thead className="text-muted">
          <tr>
            <th className="px-3 text-left font-normal">
              <DropdownMenu.Root>
                <DropdownMenu.Trigger
                  aria-label="Columns of the span"
                  title="Choose what is measured over the span"
                  className="inline-flex cursor-pointer items-center gap-1 hover:text-ink"
                >
                  Span <SlidersHorizontal size={11} />
                </DropdownMenu.Trigger>
                <DropdownMenu.Portal>
                  <DropdownMenu.Content
                    side="top"
                    align="start"
                    collisionPadding={8}
                    className="z-20 max-h-(--radix-dropdown-menu-content-available-height) overflow-auto rounded-md border border-hairline bg-panel p-1 text-sm shadow-soft"
                  >
                    {offered.map((m) => (
                      <MenuCheck
                        key={m.id}
                        checked={more.includes(m.id)}
                        onCheckedChange={(on) =>
                          onMore(on ? [...more, m.id] : more.filter((other) => other !== m.id))
                        }
                        title={m.help}
                      >
                        {m.name}
                      </MenuCheck>
                    ))}
                  </DropdownMenu.Content>
                </DropdownMenu.Portal>
              </DropdownMenu.Root>
            </th>
            {[...HEADS, ...more.map(name)].map((head) => (
              <th key={head} className="px-2 text-right font-normal">
                {head}
              </th>
            ))}
            {formulas.map((formula) => (
              <th key={formula} className="figures px-2 text-right font-normal whitespace-nowrap">
                {formula}
                <button
                  type="button"
                  aria-label={`Drop ${formula}`}
                  title="Drop this column"
                  className="ml-1 cursor-pointer hover:text-ink"
                  onClick={() => onFormulas(formulas.filter((other) => other !== formula))}
                >
                  <X size={10} className="inline" />
                </button>
              </th>
            ))}
            <th className="pr-2 text-right font-normal">
              <FormulaEntry onAdd={(text) => onFormulas([...formulas.filter((f) => f !== text), text])} />
            </th>
          </tr>
        </thead>
        <tbody className="figures">
          {measures.map((m) => {
            const other = behind.find((each) => each.signal === m.signal);
            return (
              <Fragment key={m.signal}>
                <tr data-testid={`span-${m.signal}`}>
                  <td className="px-3 font-semibold" style={{ color: colour(m.signal) }}>
                    {m.signal}
                  </td>
                  {figures(m, more).map((cell, i) => (
                    <td
                      key={i}
                      className="px-2 text-right whitespace-nowrap"
                      title={cell.problem ?? undefined}
                    >
                      {cell.problem && cell.value == null ? (
                        <span className="text-missed">–</span>
                      ) : (
                        measured(cell.value, cell.unit)
                      )}
                    </td>
                  ))}
                  <td />
                </tr>
                {other && (
                  <tr data-testid={`apart-${m.signal}`} className="text-muted">
                    <td className="px-3 pl-5">less behind</td>
                    {apart(figures(m, more), figures(other, more)).map((cell, i) => (
                      <td key={i} className="px-2 text-right whitespace-nowrap">
                        {measured(cell.value, cell.unit, 3)}
                      </td>
                    ))}
                  </tr>
                )}
              </Fragment>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

/** Opens a field for a formula of what is measured over the span. */
function FormulaEntry({ onAdd }: { onAdd: (formula: string) => void }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const add = () => {
    if (!text.trim()) return;
    onAdd(text.trim());
    setText("");
    setOpen(false);
  };
  return (
    <Sheet
      label="A formula of the span"
      open={open}
      onOpen={setOpen}
      className="grid w-[340px] gap-2 p-3 text-left text-sm"
      trigger={
        <button
          type="button"
          aria-label="Add a formula of the span"
          title="Add a column with a formula of what is measured"
          className="inline-flex cursor-pointer items-center hover:text-ink"
        >
          <Plus size={12} />
        </button>
      }
    >
      <span className="flex gap-2">
        <input
          aria-label="Formula of the span"
          value={text}
          placeholder="(max - min) / mean"
          spellCheck={false}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && add()}
          className={`figures w-full min-w-0 ${FIELD}`}
        />
        <Button className="h-7" onClick={add}>
          Add
        </Button>
      </span>
      <p className="text-xs text-muted">
        Of <span className="figures">at_a, at_b, dt, mean, rms, min, max, frequency</span>, and every other
        measure such as <span className="figures">peak_to_peak</span>; worked out for each trace.
      </p>
    </Sheet>
  );
}

interface Cell {
  value?: number | null;
  unit: Unit;
  problem?: string | null;
}

/** What a trace's row shows, column by column. */
function figures(m: SpanMeasures, more: Measure["id"][]): Cell[] {
  const both = m.at_from != null && m.at_to != null ? m.at_to - m.at_from : null;
  const swing = m.max != null && m.min != null ? m.max - m.min : null;
  // What is a millionth of the trace's size or less is zero to anyone who reads it.
  const size = Math.max(Math.abs(m.max ?? 0), Math.abs(m.min ?? 0));
  const own = [m.at_from, m.at_to, both, m.mean, m.rms, swing].map((value): Cell => ({
    value: value != null && Math.abs(value) < 1e-6 * size ? 0 : value,
    unit: m.unit,
  }));
  const others = more.map((id): Cell => {
    const found = m.more.find((each) => each.measure === id);
    return { value: found?.value, unit: found?.unit ?? m.unit, problem: found?.problem };
  });
  return [...own, { value: m.frequency, unit: "hertz" }, ...others, ...m.worked];
}

function apart(ours: Cell[], theirs: Cell[]): Cell[] {
  return ours.map(({ value, unit }, i) => {
    const other = theirs[i]?.value;
    return { value: value != null && other != null ? value - other : null, unit };
  });
}
