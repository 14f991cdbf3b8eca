import type { SpanMeasures } from "../api/client";
import { show } from "../ui/quantity";

interface Props {
  measures: SpanMeasures[];
  colour: (signal: string) => string;
}

/** What the span ruler reads: every trace at A and B, and over the span between them. */
export function SpanTable({ measures, colour }: Props) {
  const heads = ["at A", "at B", "B − A", "mean", "RMS", "peak-to-peak", "frequency"];
  return (
    <div className="max-h-28 shrink-0 overflow-auto border-t border-hairline bg-panel">
      <table className="w-full text-xs" aria-label="Span">
        <thead className="text-muted">
          <tr>
            <th className="px-3 text-left font-normal">Span</th>
            {heads.map((head) => (
              <th key={head} className="px-2 text-right font-normal">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="figures">
          {measures.map((m) => {
            const both = m.at_from != null && m.at_to != null ? m.at_to - m.at_from : null;
            const swing = m.max != null && m.min != null ? m.max - m.min : null;
            // What is a millionth of the trace's size or less is zero to anyone who reads it.
            const size = Math.max(Math.abs(m.max ?? 0), Math.abs(m.min ?? 0));
            const cells = [m.at_from, m.at_to, both, m.mean, m.rms, swing].map((value) =>
              value != null && Math.abs(value) < 1e-6 * size ? 0 : value,
            );
            return (
              <tr key={m.signal} data-testid={`span-${m.signal}`}>
                <td className="px-3 font-semibold" style={{ color: colour(m.signal) }}>
                  {m.signal}
                </td>
                {cells.map((value, i) => (
                  <td key={i} className="px-2 text-right whitespace-nowrap">
                    {show(value, m.unit)}
                  </td>
                ))}
                <td className="px-2 text-right whitespace-nowrap">{show(m.frequency, "hertz")}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
