import type { CurveSpan } from "../api/curves";
import { measured, show, type Unit } from "../ui/quantity";
import { decibels } from "./sides";

interface Props {
  spans: CurveSpan[];
  colour: (formula: string) => string;
}

const HEADS = ["at A", "at B", "per decade", "largest between", "smallest between"];

/** A magnitude in its unit, with decibels and its phase. */
function said([magnitude, phase]: number[], unit: Unit): string {
  return `${sized(magnitude, unit)} ${show(phase, "degree", 3)}`;
}

/** A ratio in decibels, anything else in its unit. */
function sized(magnitude: number | undefined, unit: Unit, digits = 4): string {
  return unit === "one"
    ? measured(decibels(magnitude ?? 0), "decibel", digits)
    : measured(magnitude, unit, digits);
}

/** What the span ruler reads of curves: each at A and B, its slope and its extremes between them. */
export function CurveTable({ spans, colour }: Props) {
  return (
    <div className="max-h-28 shrink-0 overflow-auto border-t border-hairline bg-panel">
      <table className="w-full text-[11px]" aria-label="Span">
        <thead className="text-muted">
          <tr>
            <th className="px-3 text-left font-normal">Span</th>
            {HEADS.map((head, k) => (
              <th key={k} className="px-1 text-right font-normal">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="figures">
          {spans.map(({ formula, unit, span, problem }) => (
            <tr key={formula} data-testid={`span-${formula}`}>
              <td className="px-3 font-semibold" style={{ color: colour(formula) }}>
                {formula}
              </td>
              {span && unit ? (
                [
                  said(span.at_from, unit),
                  said(span.at_to, unit),
                  show(span.per_decade, "decibel", 3),
                  ...[span.largest, span.smallest].map(
                    ([at, size]) => `${sized(size, unit, 3)}, ${show(at, "hertz", 3)}`,
                  ),
                ].map((cell, k) => (
                  <td key={k} className="px-1 text-right whitespace-nowrap">
                    {cell}
                  </td>
                ))
              ) : (
                <td colSpan={HEADS.length} className="px-2 text-muted">
                  {problem}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
