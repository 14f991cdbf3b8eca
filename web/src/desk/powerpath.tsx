import type { Outcome, Supply } from "../api/client";
import { show } from "../ui/quantity";

interface Props {
  supply: Supply;
  outcome?: Outcome | null;
  stage?: string;
  onStage: (stage: string) => void;
}

const HEIGHT = 96;
/** Where the band runs, and how thick it is at full and at no power. */
const MIDDLE = 62;
const [THIN, THICK] = [3, 22];

/** The stages in order, the power that flows from one to the next, and what each loses. */
export function PowerPath({ supply, outcome, stage, onStage }: Props) {
  const stages = supply.stages ?? [];
  if (stages.length === 0) return null;
  const figures = stages.map((s) => outcome?.stages.find((f) => f.id === s.id));
  const largest = Math.max(1e-12, ...figures.map((f) => Math.max(f?.power_in ?? 0, f?.power_out ?? 0)));
  const thickness = (power: number) => THIN + (THICK - THIN) * Math.max(0, power / largest);
  const column = 1000 / stages.length;
  return (
    <nav
      aria-label="Power path"
      className="relative shrink-0 border-b border-hairline bg-panel"
      style={{ height: HEIGHT }}
    >
      <svg
        className="absolute inset-0 h-full w-full"
        viewBox={`0 0 1000 ${HEIGHT}`}
        preserveAspectRatio="none"
        aria-hidden="true"
      >
        {figures.map((figure, i) => {
          const into = i === 0 ? (figure?.power_out ?? 0) : (figure?.power_in ?? 0);
          const out = figure?.power_out ?? 0;
          const [a, b] = [thickness(into), thickness(i === stages.length - 1 ? into : out)];
          const [x0, x1] = [i * column, (i + 1) * column];
          const bend = x0 + 0.35 * column;
          const shape = figure
            ? `M${x0} ${MIDDLE - a / 2} L${bend} ${MIDDLE - a / 2} L${x1} ${MIDDLE - b / 2} L${x1} ${MIDDLE + b / 2} L${bend} ${MIDDLE + a / 2} L${x0} ${MIDDLE + a / 2} Z`
            : `M${x0} ${MIDDLE - 6} H${x1} M${x0} ${MIDDLE + 6} H${x1}`;
          const loss = i > 0 && i < stages.length - 1 ? (figure?.absorbed ?? 0) : 0;
          const drop = (THICK - THIN) * Math.max(0, loss / largest);
          return (
            <g key={stages[i]?.id}>
              <path
                d={shape}
                fill={figure ? "var(--copper)" : "none"}
                stroke={figure ? "none" : "var(--copper)"}
                strokeDasharray={figure ? undefined : "4 4"}
                vectorEffect="non-scaling-stroke"
                opacity={0.85}
              />
              {drop > 0.15 && (
                <path
                  d={`M${bend} ${MIDDLE + a / 2 - drop} C${bend + 12} ${MIDDLE + a / 2} ${bend + 14} 80 ${bend + 14} ${HEIGHT} h${2 + drop} C${bend + 16 + drop} 80 ${bend + 18} ${MIDDLE + b / 2} ${bend + 24} ${MIDDLE + b / 2 - 1} Z`}
                  fill="var(--amber)"
                  opacity={0.85}
                />
              )}
            </g>
          );
        })}
      </svg>
      <ol className="absolute inset-0 flex">
        {stages.map((s, i) => {
          const figure = figures[i];
          const last = i === stages.length - 1;
          return (
            <li key={s.id} className="h-full min-w-0 grow basis-0">
              <button
                type="button"
                aria-pressed={stage === s.id}
                onClick={() => onStage(s.id)}
                className={`relative flex h-full w-full flex-col items-start border-r border-hairline px-3 pt-1 text-left hover:bg-copper-soft/40 ${stage === s.id ? "bg-copper-soft/60" : ""}`}
              >
                <span className="block max-w-full truncate font-semibold">{s.title}</span>
                <span className="figures block max-w-full truncate text-xs text-muted">
                  {voltage(figure, s.output)}
                </span>
                {!last && figure && (
                  <span className="figures absolute top-[53px] right-1.5 rounded-sm bg-panel/80 px-1 text-xs">
                    {show(figure.power_out, "watt", 3)}
                  </span>
                )}
                {last && figure && (
                  <span className="figures absolute top-[53px] right-1.5 rounded-sm bg-panel/80 px-1 text-xs">
                    {show(figure.absorbed, "watt", 3)} taken
                  </span>
                )}
                {i > 0 && !last && figure && figure.absorbed > 0 && (
                  <span className="figures absolute bottom-0 left-[46%] text-xs text-amber">
                    {show(figure.absorbed, "watt", 3)} lost
                  </span>
                )}
              </button>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}

function voltage(figure: Outcome["stages"][number] | undefined, output?: string | null): string {
  if (!output) return "\u00a0";
  if (!figure || figure.voltage == null || figure.voltage_rms == null) return `${output}: not run yet`;
  // Behind a source of alternating voltage the mean says nothing.
  const alternating = Math.abs(figure.voltage) < 0.05 * figure.voltage_rms;
  if (alternating) return `${show(figure.voltage_rms, "volt")} RMS`;
  return `${show(figure.voltage, "volt")}, ripple ${show(figure.ripple, "volt", 3)}`;
}
