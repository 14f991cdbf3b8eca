import { memo } from "react";

import type { PartKind } from "../api/client";
import type { PlacedText } from "./lettering";
import { reach } from "./partedits";
import type { DrawingShown } from "./view";

type DrawnPart = DrawingShown["parts"][number];
type DrawnNet = DrawingShown["nets"][number];
type DrawnNote = DrawingShown["notes"][number];

interface PartProps {
  drawn: DrawnPart;
  /** Its text where that stands elsewhere than usual; null where there is no room for any. */
  text?: PlacedText | null;
  /** Size of texts, relative to the usual one. */
  size: number;
  kind?: PartKind;
  chosen: boolean;
  marked: boolean;
  faded: boolean;
}

/** What a part looks like: symbol and text. */
export function Picture({
  drawn,
  text,
  size,
  kind,
  chosen,
}: Pick<PartProps, "drawn" | "text" | "size" | "kind" | "chosen">) {
  const [w, h] = reach(kind);
  const [x, y] = text?.at ?? drawn.label_at;
  const lines = text === null ? [] : drawn.label.slice(0, text?.lines);
  return (
    <>
      <g
        transform={`translate(${drawn.at.x} ${drawn.at.y}) rotate(${drawn.turn}) scale(${drawn.mirror ? -1 : 1} 1)`}
      >
        <rect
          className="focus-mark"
          x={-w}
          y={-h}
          width={2 * w}
          height={2 * h}
          rx={0.5}
          fill={chosen ? "var(--copper-soft)" : "transparent"}
          stroke="none"
          strokeWidth={0.14}
        />
        {kind?.symbol.shapes.map((shape, i) => (
          <path
            key={i}
            d={shape.path}
            transform={shape.upright ? `scale(${drawn.mirror ? -1 : 1} 1) rotate(${-drawn.turn})` : undefined}
            fill={shape.filled ? "currentColor" : "none"}
            strokeWidth={shape.filled ? 0 : undefined}
          />
        ))}
      </g>
      <text stroke="none" fill="var(--ink)" fontSize={1.15 * size}>
        {lines.map((line, i) => (
          <tspan
            key={i}
            x={x}
            y={y + 1.25 * size * i}
            className={i === 0 ? undefined : "figures"}
            fontWeight={i === 0 ? 600 : 400}
            fill={i === 0 ? "var(--ink)" : "var(--muted)"}
          >
            {line}
          </tspan>
        ))}
      </text>
    </>
  );
}

/** A part: symbol, text, and a handle on every pin. What is done with it is the drawing's to handle. */
export const PartShape = memo(function PartShape({ kind, chosen, marked, faded, ...shown }: PartProps) {
  const { drawn } = shown;
  return (
    <g
      role="button"
      tabIndex={0}
      data-part={drawn.id}
      aria-label={`${drawn.label.join(" ")}, ${kind?.name ?? drawn.kind}`}
      aria-pressed={chosen}
      className="group cursor-pointer"
      opacity={faded ? 0.3 : 1}
      stroke={chosen ? "var(--copper)" : marked ? "var(--missed)" : "var(--ink)"}
    >
      <title>{drawn.label.join(" ")}</title>
      <Picture {...shown} kind={kind} chosen={chosen} />
      {drawn.pins.map(([pin, at]) => (
        <circle
          key={pin}
          data-pin={pin}
          cx={at.x}
          cy={at.y}
          r={0.5}
          strokeWidth={0.12}
          className="cursor-crosshair fill-transparent stroke-transparent hover:fill-panel hover:stroke-copper"
        >
          <title>{`${drawn.id}, ${kind?.pins.find((p) => p.id === pin)?.name ?? pin}: pull a line from here`}</title>
        </circle>
      ))}
      {/* Where there are several pins of one side, which is which is told by their names. */}
      {drawn.pins.length > 2 &&
        drawn.pins.map(([pin, at]) => (
          <text
            key={pin}
            x={at.x}
            y={at.y - 0.35}
            fontSize={1.05 * shown.size}
            textAnchor="middle"
            fill="var(--copper)"
            stroke="var(--panel)"
            strokeWidth={0.25}
            paintOrder="stroke"
            data-pin-name={pin}
            className={`pointer-events-none ${chosen ? "" : "opacity-0 group-hover:opacity-100 group-focus-visible:opacity-100"}`}
          >
            {pin}
          </text>
        ))}
    </g>
  );
});

interface NetProps {
  net: DrawnNet;
  /** Where its name stands; null where there is no room for it. */
  nameAt?: [number, number] | null;
  /** Whether it stands without its figure. */
  bare: boolean;
  size: number;
  faded: boolean;
  /** Whether it is the one looked at. */
  lit: boolean;
}

/** A net: wires, junctions, its name or the symbol of the reference. */
export const NetShape = memo(function NetShape({ net, nameAt, bare, size, faded, lit }: NetProps) {
  return (
    <g
      role="button"
      tabIndex={0}
      data-net={net.net}
      aria-label={`Net ${net.net}`}
      aria-pressed={lit}
      opacity={faded && !lit ? 0.45 : 1}
      stroke={lit ? "var(--copper)" : undefined}
      strokeWidth={lit ? 0.32 : undefined}
      className="cursor-pointer outline-none hover:stroke-copper focus-visible:stroke-copper"
    >
      <title>{`Net ${net.net}${net.figure ? `, ${net.figure}` : ""}`}</title>
      {net.wires.map(([a, b], i) => (
        <g key={i}>
          <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke="transparent" strokeWidth={0.9} />
          <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
        </g>
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
      {nameAt && (
        <text
          x={nameAt[0]}
          y={nameAt[1]}
          className="figures"
          fontSize={1.05 * size}
          fill="var(--teal)"
          stroke="none"
        >
          {net.net}
          {net.figure && !bare && <tspan fill="var(--muted)">{` ${net.figure}`}</tspan>}
        </text>
      )}
    </g>
  );
});

interface NoteProps {
  note: DrawnNote;
  index: number;
  dx: number;
  dy: number;
}

/** A note among the parts. */
export const NoteShape = memo(function NoteShape({ note, index, dx, dy }: NoteProps) {
  return (
    <g
      role="button"
      tabIndex={0}
      data-note={index}
      aria-label={`Note: ${note.lines.join(" ")}`}
      transform={dx || dy ? `translate(${dx} ${dy})` : undefined}
      className="cursor-pointer"
      stroke="none"
      fill="var(--muted)"
    >
      <rect
        className="focus-mark"
        strokeWidth={0.14}
        x={note.at.x - 0.4}
        y={note.at.y - 1.2}
        width={0.62 * Math.max(...note.lines.map((l) => l.length)) + 0.8}
        height={1.45 * note.lines.length + 0.4}
        fill="transparent"
      />
      <text fontSize={1.15} fontStyle="italic">
        {note.lines.map((line, i) => (
          <tspan key={i} x={note.at.x} y={note.at.y + 1.45 * i}>
            {line}
          </tspan>
        ))}
      </text>
    </g>
  );
});
