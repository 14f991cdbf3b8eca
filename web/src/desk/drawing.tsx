import type { KeyboardEvent } from "react";

import type { Finding, PartKind, SupplyShown } from "../api/client";

type DrawingShown = SupplyShown["drawing"];

interface Props {
  drawing: DrawingShown;
  kinds: PartKind[];
  findings: Finding[];
  part?: string;
  stage?: string;
  onPart: (part: string) => void;
}

/** The circuit as the server laid it out, in grid squares. */
export function Drawing({ drawing, kinds, findings, part, stage, onPart }: Props) {
  const { from, to } = drawing;
  const marked = new Set(findings.map((f) => ("part" in f.place ? f.place.part : undefined)));
  return (
    <div className="h-full bg-ground" data-testid="drawing">
      <svg
        className="h-full w-full"
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
          return (
            <g
              key={drawn.id}
              role="button"
              tabIndex={0}
              data-part={drawn.id}
              aria-label={[drawn.id, kind?.name, ...drawn.label.slice(1)].join(", ")}
              aria-pressed={chosen}
              onClick={choose}
              onKeyDown={(event: KeyboardEvent) => {
                if (event.key === "Enter" || event.key === " ") {
                  event.preventDefault();
                  choose();
                }
              }}
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
