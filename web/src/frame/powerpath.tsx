import { CircleAlert } from "lucide-react";

import { isUnfinished, type Finding, type Outcome, type Stage, type Supply } from "../api/client";
import { AddStage } from "../compose/addstage";
import { show } from "../ui/quantity";
import type { Editing } from "./editing";
import { layOut, type Node } from "./pathlayout";

interface Props {
  supply: Supply;
  findings: Finding[];
  outcome?: Outcome | null;
  stage?: string;
  onStage: (stage: string) => void;
  onAdded: (stage: string) => void;
  editing: Editing;
}

type Figures = Outcome["stages"][number];

/** Height of a row, where its band runs, and how thick the band is at full and at no power. */
const ROW = { alone: 100, several: 98 };
const MIDDLE = 66;
const [THIN, THICK] = [3, 20];
/** Narrowest a card may get before the path scrolls, px. */
const NARROW = 118;

/** The stages in order, the power that flows from one to the next, and what each loses. */
export function PowerPath({ supply, findings, outcome, stage, onStage, onAdded, editing }: Props) {
  const stages = supply.stages ?? [];
  if (stages.length === 0) {
    // A circuit of single parts needs the room more than the path does.
    const slim = (supply.parts?.length ?? 0) > 0;
    return (
      <nav
        data-pane
        aria-label="Power path"
        className={`flex ${slim ? "h-11" : "h-24"} shrink-0 items-center gap-3 border-b border-hairline bg-panel px-4`}
      >
        <AddStage stages={stages} editing={editing} onAdded={onAdded} />
        <p className="truncate text-muted">
          {slim
            ? "A circuit of single parts. A stage added here is sized and begins a power path."
            : "The power path is empty. It begins with a source; each stage you add behind it is sized from what the supply must deliver."}
        </p>
      </nav>
    );
  }
  const { nodes, columns, rows } = layOut(stages);
  const height = rows > 1 ? ROW.several : ROW.alone;
  const figures = nodes.map((n) => outcome?.stages.find((f) => f.id === n.stage.id));
  const largest = Math.max(1e-12, ...figures.map((f) => Math.max(f?.power_in ?? 0, f?.power_out ?? 0)));
  const end = findings.find(isUnfinished);
  const unfinished = end && stagesOf(end, supply)[0];
  const marked = new Set(findings.filter((f) => f !== end).flatMap((f) => stagesOf(f, supply)));
  return (
    <nav
      data-pane
      aria-label="Power path"
      className="max-h-64 shrink-0 overflow-auto border-b border-hairline bg-panel pr-4"
    >
      <div className="relative" style={{ height: height * rows, minWidth: NARROW * columns }}>
        <Band
          nodes={nodes}
          figures={figures}
          largest={largest}
          columns={columns}
          height={height}
          rows={rows}
        />
        <ol>
          {nodes.map((node, i) => (
            <li
              key={node.stage.id}
              className="@container absolute"
              style={{
                left: `${(100 * node.column) / columns}%`,
                width: `${100 / columns}%`,
                top: node.row * height,
                height,
              }}
            >
              <Card
                stage={node.stage}
                figure={figures[i]}
                chosen={stage === node.stage.id}
                marked={marked.has(node.stage.id)}
                unfinished={unfinished === node.stage.id}
                last={!nodes.some((n) => n.before === i)}
                onChoose={() => onStage(node.stage.id)}
              />
              {(node.stage.joints ?? []).length > 0 && (
                <span className="absolute right-[-11px] z-10" style={{ top: MIDDLE - 11 }}>
                  <AddStage stages={stages} after={node.stage} editing={editing} onAdded={onAdded} />
                </span>
              )}
            </li>
          ))}
        </ol>
      </div>
    </nav>
  );
}

function stagesOf(finding: Finding, supply: Supply): string[] {
  const { place } = finding;
  if (place.at === "stage") return [place.stage];
  const part = "part" in place ? supply.parts?.find((p) => p.id === place.part) : undefined;
  return part?.stage ? [part.stage] : [];
}

interface CardProps {
  stage: Stage;
  figure?: Figures;
  chosen: boolean;
  marked: boolean;
  unfinished: boolean;
  last: boolean;
  onChoose: () => void;
}

function Card({ stage, figure, chosen, marked, unfinished, last, onChoose }: CardProps) {
  const passed = figure && (last ? figure.absorbed : figure.power_out);
  const lost = figure && !last && stage.after ? figure.absorbed : 0;
  return (
    <button
      type="button"
      aria-pressed={chosen}
      data-stage={stage.id}
      onClick={onChoose}
      className={`relative flex h-full w-full flex-col items-start border-r border-hairline px-3 pt-1 text-left hover:bg-copper-soft/40 ${chosen ? "bg-copper-soft/60" : ""}`}
    >
      <span className="flex max-w-full items-center gap-1">
        <span
          title={stage.title}
          className={`truncate font-semibold ${stage.bypassed ? "text-muted line-through" : ""}`}
        >
          {stage.title}
        </span>
        {unfinished && <span className="shrink-0 text-xs text-muted">unfinished</span>}
        {marked && (
          <CircleAlert
            size={14}
            className="shrink-0 text-missed"
            aria-label="The checks found something here"
          />
        )}
      </span>
      <Voltage parts={stage.bypassed ? ["bypassed"] : voltage(figure, stage.output)} />
      {passed !== undefined && (
        <span className="figures absolute top-[57px] right-4 rounded-sm bg-panel/80 px-1 text-xs">
          {show(passed, "watt", 3)}
          {last && " taken"}
        </span>
      )}
      {lost > 0 && (
        <span
          className="figures absolute bottom-0 left-2 rounded-sm bg-panel/80 px-1 text-xs whitespace-nowrap text-amber @max-[160px]:text-[11px]"
          title={figure && figure.power_in > 0 ? `${stage.title} passes on ${efficiency(figure)}` : undefined}
        >
          {show(lost, "watt", 3)}
          <span className="@max-[160px]:hidden"> lost</span>
          {figure && figure.power_in > 0 && `, ${efficiency(figure)}`}
        </span>
      )}
    </button>
  );
}

/** The voltage behind a stage; in two lines where the card is narrow, so that no figure is cut off. */
function Voltage({ parts: [mean, ripple] }: { parts: string[] }) {
  return (
    <span className="figures block max-w-full text-xs leading-4 whitespace-nowrap text-muted @max-[176px]:text-[11px]">
      <span className="@max-[176px]:block">
        {mean}
        {ripple && <span className="@max-[176px]:hidden">, </span>}
      </span>
      {ripple && <span className="@max-[176px]:block">{ripple}</span>}
    </span>
  );
}

interface BandProps {
  nodes: Node[];
  figures: (Figures | undefined)[];
  largest: number;
  columns: number;
  height: number;
  rows: number;
}

/** The copper band: as wide as the power at each joint, losses running down out of it. */
function Band({ nodes, figures, largest, columns, height, rows }: BandProps) {
  const thickness = (power: number) => THIN + (THICK - THIN) * Math.max(0, power / largest);
  const column = 1000 / columns;
  return (
    <svg
      className="absolute inset-0 h-full w-full"
      viewBox={`0 0 1000 ${height * rows}`}
      preserveAspectRatio="none"
      aria-hidden="true"
    >
      {nodes.map((node, i) => {
        const figure = figures[i];
        const first = node.before === undefined;
        const last = !nodes.some((n) => n.before === i);
        const into = first ? (figure?.power_out ?? 0) : (figure?.power_in ?? 0);
        const [a, b] = [thickness(into), thickness(last ? into : (figure?.power_out ?? 0))];
        const [x0, x1] = [node.column * column, (node.column + 1) * column];
        const middle = node.row * height + MIDDLE;
        const from = (nodes[node.before ?? i]?.row ?? node.row) * height + MIDDLE;
        const bend = x0 + 0.35 * column;
        const shape = figure
          ? `M${x0} ${middle - a / 2} L${bend} ${middle - a / 2} L${x1} ${middle - b / 2} L${x1} ${middle + b / 2} L${bend} ${middle + a / 2} L${x0} ${middle + a / 2} Z`
          : `M${x0} ${middle - 6} H${x1} M${x0} ${middle + 6} H${x1}`;
        const loss = !first && !last ? Math.max(0, figure?.absorbed ?? 0) : 0;
        const drop = (THICK - THIN) * (loss / largest);
        const foot = node.row * height + height;
        return (
          <g key={node.stage.id}>
            {from !== middle && (
              // A branch leaves its joint straight down and turns into its row.
              <path
                d={`M${x0 - 0.5} ${from} V${middle}`}
                stroke="var(--copper)"
                strokeWidth={figure ? Math.max(2, 0.6 * a) : 1}
                strokeDasharray={figure ? undefined : "4 4"}
                vectorEffect="non-scaling-stroke"
                opacity={0.85}
                fill="none"
              />
            )}
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
                d={`M${bend} ${middle + a / 2 - drop} C${bend + 12} ${middle + a / 2} ${bend + 14} ${middle + 18} ${bend + 14} ${foot} h${2 + drop} C${bend + 16 + drop} ${middle + 18} ${bend + 18} ${middle + b / 2} ${bend + 24} ${middle + b / 2 - 1} Z`}
                fill="var(--amber)"
                opacity={0.85}
              />
            )}
          </g>
        );
      })}
    </svg>
  );
}

/** Power passed on over power arriving. */
function efficiency(figure: Figures): string {
  return `${((100 * figure.power_out) / figure.power_in).toPrecision(3)}\u2009%`;
}

function voltage(figure: Figures | undefined, output?: string | null): string[] {
  if (!output) return ["\u00a0"];
  if (!figure || figure.voltage == null || figure.voltage_rms == null) return [output, "not run yet"];
  // Behind a source of alternating voltage the mean says nothing.
  const alternating = Math.abs(figure.voltage) < 0.05 * figure.voltage_rms;
  if (alternating) return [`${show(figure.voltage_rms, "volt")} RMS`];
  return [show(figure.voltage, "volt"), `ripple ${show(figure.ripple, "volt", 3)}`];
}
