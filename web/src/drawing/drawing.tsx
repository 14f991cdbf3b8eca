import { Download } from "lucide-react";
import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";

import type { Finding, PartKind, SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { mirrored, moved, removed, turned } from "./partedits";

type DrawingShown = SupplyShown["drawing"];

interface Props {
  drawing: DrawingShown;
  kinds: PartKind[];
  findings: Finding[];
  part?: string;
  stage?: string;
  supply: string;
  onPart: (part: string) => void;
  editing: Editing;
}

/** A part on its way to another place. */
interface Drag {
  part: string;
  /** Where the pointer took it, in grid squares. */
  from: { x: number; y: number };
  dx: number;
  dy: number;
}

/** Squares of the surroundings shown around a chosen stage. */
const AROUND = 16;

/** What is shown: the whole drawing, or a chosen stage with what lies around it. */
function framed(drawing: DrawingShown, stage: string | undefined) {
  const spots = drawing.parts.filter((p) => p.stage === stage).flatMap((p) => p.pins.map(([, s]) => s));
  if (stage === undefined || spots.length === 0) return drawing;
  const [xs, ys] = [spots.map((s) => s.x), spots.map((s) => s.y)];
  return {
    from: {
      x: Math.max(drawing.from.x, Math.min(...xs) - AROUND),
      y: Math.max(drawing.from.y, Math.min(...ys) - AROUND),
    },
    to: {
      x: Math.min(drawing.to.x, Math.max(...xs) + AROUND),
      y: Math.min(drawing.to.y, Math.max(...ys) + AROUND),
    },
  };
}

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** The circuit as the server laid it out, in grid squares. */
export function Drawing({ drawing, kinds, findings, part, stage, supply, onPart, editing }: Props) {
  const { from, to } = framed(drawing, stage);
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<Drag>();
  const grid = (event: PointerEvent) => {
    const matrix = svg.current?.getScreenCTM();
    if (!matrix) return { x: 0, y: 0 };
    const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix.inverse());
    return { x: point.x, y: point.y };
  };
  const marked = new Set(findings.map((f) => ("part" in f.place ? f.place.part : undefined)));
  return (
    <div className="relative h-full bg-ground" data-testid="drawing">
      <a
        href={`/api/supplies/${supply}/drawing.svg`}
        download
        className="absolute top-2 right-2 z-10 flex items-center gap-1 rounded-sm bg-ground/80 px-1 text-xs text-muted hover:text-ink"
      >
        <Download size={14} aria-hidden="true" /> SVG
      </a>
      <svg
        ref={svg}
        className="h-full w-full touch-none"
        viewBox={`${from.x} ${from.y} ${to.x - from.x} ${to.y - from.y}`}
        role="group"
        aria-label="Circuit drawing"
        fill="none"
        stroke="var(--ink)"
        strokeWidth={0.14}
        strokeLinecap="round"
        strokeLinejoin="round"
      >
        {drawing.nets.map((net, i) => (
          <g key={`${net.net} ${i}`} opacity={stage ? 0.45 : 1}>
            <title>{`Net ${net.net}`}</title>
            {net.wires.map(([a, b], i) => (
              <line key={i} x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
            ))}
            {net.junctions.map((spot) => (
              <circle
                key={`${spot.x},${spot.y}`}
                cx={spot.x}
                cy={spot.y}
                r={0.25}
                fill="var(--ink)"
                stroke="none"
              />
            ))}
            {net.ground_at && (
              <path
                d={`M${net.ground_at.x} ${net.ground_at.y} v1 M${net.ground_at.x - 1} ${net.ground_at.y + 1} h2 m-1.6 0.4 h1.2 m-0.9 0.4 h0.6`}
              />
            )}
            {net.label_at && (
              <text
                x={net.label_at[0]}
                y={net.label_at[1]}
                className="figures"
                fontSize={1.05}
                fill="var(--teal)"
                stroke="none"
              >
                {net.net}
              </text>
            )}
          </g>
        ))}
        {drawing.parts.map((drawn) => {
          const kind = kinds.find((k) => k.id === drawn.kind);
          const chosen = drawn.id === part;
          const faded = stage !== undefined && drawn.stage !== stage;
          const [w = 1, h = 1] = kind?.symbol.body ?? [];
          const choose = () => onPart(drawn.id);
          const dragged = drag?.part === drawn.id ? drag : undefined;
          const change = (what: string, edit: Parameters<Editing["change"]>[1]) =>
            editing.change(`${what} ${drawn.id}`, edit);
          const onKey = (event: KeyboardEvent) => {
            if (event.ctrlKey || event.metaKey || event.altKey) return;
            const arrow = ARROWS[event.key];
            if (event.key === "Enter" || event.key === " ") choose();
            else if (arrow) change("move", moved(drawn.id, drawn.at, ...arrow));
            else if (event.key === "t") change("turn", turned(drawn.id));
            else if (event.key === "m") change("mirror", mirrored(drawn.id));
            else if (event.key === "Delete") change("remove", removed(drawn.id));
            else return;
            event.preventDefault();
          };
          return (
            <g
              key={drawn.id}
              role="button"
              tabIndex={0}
              data-part={drawn.id}
              aria-label={[drawn.id, kind?.name, ...drawn.label.slice(1)].join(", ")}
              aria-pressed={chosen}
              onClick={choose}
              onKeyDown={onKey}
              onPointerDown={(event) => {
                event.currentTarget.setPointerCapture(event.pointerId);
                setDrag({ part: drawn.id, from: grid(event), dx: 0, dy: 0 });
              }}
              onPointerMove={(event) => {
                if (!dragged) return;
                const at = grid(event);
                setDrag({
                  ...dragged,
                  dx: Math.round(at.x - dragged.from.x),
                  dy: Math.round(at.y - dragged.from.y),
                });
              }}
              onPointerUp={() => {
                if (dragged && (dragged.dx !== 0 || dragged.dy !== 0)) {
                  change("move", moved(drawn.id, drawn.at, dragged.dx, dragged.dy));
                }
                setDrag(undefined);
              }}
              transform={dragged && `translate(${dragged.dx} ${dragged.dy})`}
              className="cursor-pointer"
              opacity={faded ? 0.3 : 1}
              stroke={chosen ? "var(--copper)" : marked.has(drawn.id) ? "var(--missed)" : "var(--ink)"}
            >
              <g
                transform={`translate(${drawn.at.x} ${drawn.at.y}) rotate(${drawn.turn}) scale(${drawn.mirror ? -1 : 1} 1)`}
              >
                <rect
                  x={-w - 0.6}
                  y={-h - 1}
                  width={2 * w + 1.2}
                  height={2 * h + 2}
                  rx={0.5}
                  fill={chosen ? "var(--copper-soft)" : "transparent"}
                  stroke="none"
                />
                {kind?.symbol.shapes.map((shape, i) => (
                  <path
                    key={i}
                    d={shape.path}
                    fill={shape.filled ? "currentColor" : "none"}
                    strokeWidth={shape.filled ? 0 : undefined}
                  />
                ))}
              </g>
              <text stroke="none" fill="var(--ink)" fontSize={1.15}>
                {drawn.label.map((line, i) => (
                  <tspan
                    key={i}
                    x={drawn.label_at[0]}
                    y={drawn.label_at[1] + 1.25 * i}
                    className={i === 0 ? undefined : "figures"}
                    fontWeight={i === 0 ? 600 : 400}
                    fill={i === 0 ? "var(--ink)" : "var(--muted)"}
                  >
                    {line}
                  </tspan>
                ))}
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}
