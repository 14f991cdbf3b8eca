import type { Outcome, Supply } from "../api/client";
import { measured, show } from "./quantity";

type Verdict = Outcome["verdicts"][number];

const WORDS = { met: "met", close: "close", missed: "missed", not_tried: "not yet tried" };
const LOOKS = { met: "text-met", close: "text-close", missed: "text-missed", not_tried: "text-muted" };

export function standings(verdicts: Verdict[]) {
  const count = (standing: Verdict["standing"]) => verdicts.filter((v) => v.standing === standing).length;
  return { met: count("met"), close: count("close"), missed: count("missed") };
}

interface Props {
  supply: Supply;
  verdicts?: Verdict[];
  /** The study shown; what another decides says so. */
  study?: string;
  /** Names what decides a requirement, by its reading. */
  decidedBy?: (reading: string) => string;
  /** Shows the place in the run that decided it. */
  onLook?: (reading: string) => void;
}

/** Requirements with the value achieved, the limits and the margin. */
export function Verdicts({ supply, verdicts, study, decidedBy, onLook }: Props) {
  if (!supply.requirements?.length)
    return <p className="p-3 text-muted">This supply states no requirements.</p>;
  return (
    <table className="w-full self-start" aria-label="Requirements">
      <thead className="text-left text-xs text-muted">
        <tr>
          <th className="px-3 py-1 font-normal">Requirement</th>
          <th className="px-2 font-normal">Limit</th>
          <th className="px-2 text-right font-normal">Achieved</th>
          <th className="w-28 px-2 font-normal">
            <span className="sr-only">Gauge</span>
          </th>
          <th className="px-2 font-normal">Verdict</th>
        </tr>
      </thead>
      <tbody>
        {supply.requirements.map((requirement) => {
          const verdict = verdicts?.find((v) => v.id === requirement.id);
          const decides = supply.readings?.find((r) => r.id === requirement.reading)?.study;
          const elsewhere = study !== undefined && decides !== study;
          const standing = verdict?.standing ?? "not_tried";
          return (
            <tr
              key={requirement.id}
              className="border-t border-hairline"
              data-testid={`requirement-${requirement.id}`}
            >
              <td className="px-3 py-1">
                {onLook && verdict?.value != null ? (
                  <button
                    type="button"
                    className="cursor-pointer text-left hover:underline"
                    title="Show where in the run it was read"
                    onClick={() => onLook(requirement.reading)}
                  >
                    {requirement.title}
                  </button>
                ) : (
                  requirement.title
                )}
                {elsewhere && (
                  <span className="ml-2 text-xs text-muted">
                    {supply.studies?.find((s) => s.id === decides)?.title ?? decides}
                  </span>
                )}
                {decidedBy && (
                  <span className="block text-xs text-muted">{decidedBy?.(requirement.reading)}</span>
                )}
              </td>
              <td className="figures px-2 text-xs whitespace-nowrap text-muted">
                {verdict ? limits(verdict) : limitTexts(requirement)}
              </td>
              <td className="figures px-2 text-right whitespace-nowrap">
                {verdict ? measured(verdict.value, verdict.unit) : "–"}
              </td>
              <td className="px-2">{verdict && <Gauge verdict={verdict} />}</td>
              <td className={`px-2 font-semibold whitespace-nowrap ${LOOKS[standing]}`}>
                {WORDS[standing]}
                {verdict?.margin != null && (
                  <span className="figures ml-1 text-xs font-normal">
                    {verdict.margin < 0 ? "−" : "+"}
                    {Math.abs(100 * verdict.margin).toFixed(0)}&thinsp;%
                  </span>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function limits(verdict: Verdict): string {
  const parts = [];
  if (verdict.at_least != null) parts.push(`≥ ${show(verdict.at_least, verdict.unit)}`);
  if (verdict.at_most != null) parts.push(`≤ ${show(verdict.at_most, verdict.unit)}`);
  return parts.join(", ");
}

function limitTexts(requirement: { at_least?: string | null; at_most?: string | null }): string {
  const parts = [];
  if (requirement.at_least) parts.push(`≥ ${requirement.at_least}`);
  if (requirement.at_most) parts.push(`≤ ${requirement.at_most}`);
  return parts.join(", ");
}

/** The allowed band, and where the value lies; the scale runs from zero past the outer limit, or half a
 * band beyond both limits. */
function Gauge({ verdict }: { verdict: Verdict }) {
  const { at_least: low, at_most: high, value } = verdict;
  if (value == null) return null;
  const band = low != null && high != null;
  const beyond = band ? (high - low) / 2 : 0;
  const bottom = band ? low - beyond : 0;
  const top = band
    ? high + beyond
    : 1.25 * Math.max(Math.abs(low ?? 0), Math.abs(high ?? 0), Math.abs(value));
  const place = (v: number) => Math.max(0, Math.min(100, (100 * (v - bottom)) / (top - bottom)));
  const [from, to] = [place(low ?? bottom), place(high ?? top)];
  return (
    <svg viewBox="0 0 100 10" preserveAspectRatio="none" className="h-2.5 w-full" aria-hidden="true">
      <rect x={0} y={3} width={100} height={4} fill="var(--hairline)" />
      <rect x={from} y={3} width={to - from} height={4} fill="var(--met)" opacity={0.45} />
      <rect x={place(value) - 1} y={0} width={2} height={10} fill={`var(--${verdict.standing})`} />
    </svg>
  );
}
