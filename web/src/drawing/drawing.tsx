import { memo, useEffect, useMemo, useRef, useState } from "react";

import { useFigured, useResting, type Finding, type PartKind, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { useKept } from "../ui/kept";
import { AddLine } from "./addline";
import { NetCard, NoteCard } from "./cards";
import { useClipboard } from "./clipboard";
import { gone, useGestures, type End } from "./gestures";
import { useJoining } from "./joining";
import { onKey, type KeyDeeds } from "./keys";
import type { Lettering } from "./lettering";
import { aligned, dropped, mirrored, moved, placeOf, turned, type Change } from "./partedits";
import { NetShape, NoteShape, PartShape, Picture } from "./shapes";
import { Tools, type Figures } from "./tools";
import type { Point, View } from "./view";
import { useViewport } from "./viewport";

/** Room kept for a card beneath what was chosen, px. */
const CARD = 170;

interface Props {
  shown: SupplyShown;
  kinds: PartKind[];
  findings: Finding[];
  selected: string[];
  stage?: string;
  /** The run that figures beside nets and parts are of, and the span they are taken over; of the run's end without one. */
  run?: string;
  from?: number;
  to?: number;
  onSelect: (parts: string[]) => void;
  editing: Editing;
}

/**
 * The circuit as the server laid it out, in grid squares, and everything one does to it by hand. What a run brings does
 * not touch it, and what it does to the supply follows from the supply shown alone.
 */
export const Drawing = memo(DrawingOf, (a, b) =>
  (["shown", "kinds", "findings", "selected", "stage", "run", "from", "to"] as const).every(
    (key) => a[key] === b[key],
  ),
);

function DrawingOf(props: Props) {
  const { shown, kinds, findings, selected, stage, onSelect, editing } = props;
  const { document: supply } = shown;
  const [figures, setFigures] = useKept<Figures>(`figures-${shown.id}`, "nothing");
  const resting = useResting(shown, figures === "resting");
  // Texts stand where there is room for them; parts and wires are the same in both.
  const of = figures === "nothing" || figures === "resting" ? undefined : figures;
  const figured = useFigured(shown, props.run, of, props.from, props.to);
  const taken = figures === "resting" ? resting : figured;
  const there = figures !== "nothing" && taken.data?.revision === shown.revision ? taken.data : undefined;
  const drawing = there?.drawing ?? shown.drawing;
  const frame = useRef<HTMLDivElement>(null);
  const viewport = useViewport(frame, drawing, stage);
  const { view, sheet, zoom, fit, lettering } = viewport;
  const size = lettering?.size ?? 1;
  const [line, setLine] = useState(false);
  const [net, setNet] = useState<{ name: string; at: { left: number; top: number } }>();
  const [note, setNote] = useState<{ index: number; at: { left: number; top: number } }>();
  const { join, dialog } = useJoining(shown.id, editing);
  const kind = useMemo(() => new Map(kinds.map((k) => [k.id, k])), [kinds]);
  const marked = useMemo(
    () => new Set(findings.map((f) => ("part" in f.place ? f.place.part : undefined))),
    [findings],
  );
  const places = useMemo(() => new Map(drawing.parts.map((p) => [p.id, placeOf(p)])), [drawing]);
  const pins = (name: string) =>
    supply.parts?.flatMap((p) =>
      Object.entries(p.pins).flatMap(([pin, on]) => (on === name ? ([[p.id, pin]] as End[]) : [])),
    ) ?? [];
  const nets = useMemo(
    () => [...new Set(drawing.nets.map((n) => n.net))].filter((name) => name !== "gnd").sort(),
    [drawing],
  );
  const netOf = ([part, pin]: End) => supply.parts?.find((p) => p.id === part)?.pins[pin];
  const middle: [number, number] = [
    Math.round(view.x + view.width / 2),
    Math.round(view.y + view.height / 2),
  ];
  const { copy, paste, duplicate } = useClipboard(supply, editing, onSelect);

  const onParts = (what: string, parts: string[], edit: Change) =>
    editing.change(`${what} ${named(parts)}`, edit);
  const move = (parts: string[], dx: number, dy: number) =>
    onParts("move", parts, moved(parts, places, dx, dy));
  const turn = (parts: string[]) => onParts("turn", parts, turned(parts, drawing, kind));
  const mirror = (parts: string[]) => onParts("mirror", parts, mirrored(parts, drawing, kind));
  const remove = (parts: string[]) => {
    void editing.compose(`remove ${named(parts)}`, { edit: "remove_parts", parts });
    onSelect([]);
    // Where the part had the focus, the drawing goes on with it.
    frame.current?.querySelector("svg")?.focus();
  };
  const select = (parts: string[]) => {
    setNet(undefined);
    setNote(undefined);
    onSelect(parts);
  };
  const beside = (client: Point) => {
    const box = frame.current?.getBoundingClientRect();
    const [left, top] = [client.x - (box?.left ?? 0), client.y - (box?.top ?? 0)];
    return {
      left: Math.max(4, Math.min(left + 8, (box?.width ?? 0) - 392)),
      top: Math.max(40, Math.min(top + 48, (box?.height ?? 0) - CARD)),
    };
  };
  const { gesture, handlers } = useGestures(selected, viewport, {
    select,
    moveParts: (parts, dx, dy) => onParts("move", parts, dropped(parts, drawing, kind, dx, dy)),
    selectWithin: (a, b) => {
      const within = (at: number, from: number, to: number) =>
        Math.min(from, to) <= at && at <= Math.max(from, to);
      const inside = drawing.parts.filter(({ at }) => within(at.x, a.x, b.x) && within(at.y, a.y, b.y));
      select(inside.map((p) => p.id));
    },
    moveNote: (note, dx, dy) =>
      editing.change("move a note", (document) => {
        const moving = document.texts?.[note];
        if (moving) [moving.x, moving.y] = [moving.x + dx, moving.y + dy];
      }),
    openNote: (index, client) => {
      setNet(undefined);
      setNote({ index, at: beside(client) });
    },
    openNet: (name, client) => {
      setNote(undefined);
      setNet({ name, at: beside(client) });
    },
    join: (from, target) => {
      const onNet = typeof target === "string";
      const to = onNet ? pins(target)[0] : target;
      if (!to || (to[0] === from[0] && to[1] === from[1])) return;
      const what = `join ${from[0]} to ${onNet ? target : to[0]}`;
      void join(what, netOf(from), netOf(to), { edit: "connect", from, to, join: false });
    },
  });
  // From anywhere on the desk, but for where one types.
  useEffect(() => {
    const onSlash = (event: KeyboardEvent) => {
      const typing = (event.target as Element).closest(
        "input, textarea, select, [contenteditable], [role=dialog], [role=menu]",
      );
      if (event.key !== "/" || event.defaultPrevented || typing) return;
      event.preventDefault();
      setLine(true);
    };
    window.addEventListener("keydown", onSlash);
    return () => window.removeEventListener("keydown", onSlash);
  }, []);
  const keys: KeyDeeds = {
    copy,
    paste,
    duplicate,
    selectAll: () => onSelect(drawing.parts.map((p) => p.id)),
    select: onSelect,
    openNet: (name, shape) => {
      const { left, top } = shape.getBoundingClientRect();
      setNet({ name, at: beside({ x: left, y: top }) });
    },
    addLine: () => setLine(true),
    zoom,
    fit,
    move,
    turn,
    mirror,
    remove,
  };
  const moving = gesture?.kind === "move" ? gesture : undefined;
  const [dx, dy] = gesture ? gone(gesture) : [0, 0];
  return (
    <div
      className="relative flex h-full flex-col bg-ground"
      data-pane
      data-testid="drawing"
      onKeyDown={(event) => onKey(event, selected, keys)}
    >
      <Tools
        shown={shown}
        figures={figures}
        onFigures={setFigures}
        kinds={kinds}
        selected={selected}
        near={middle}
        editing={editing}
        onLine={() => {
          setLine(true);
          // Pressed while the line is open, it leads back into it.
          document.querySelector<HTMLElement>("[aria-label='Part to add']")?.focus();
        }}
        onNote={(index) => setNote({ index, at: { left: 40, top: 60 } })}
        onFit={fit}
        onTurn={() => turn(selected)}
        onMirror={() => mirror(selected)}
        onAlign={(along) => onParts("align", selected, aligned(selected, drawing, kind, along))}
        onDuplicate={() => duplicate(selected)}
        onRemove={() => remove(selected)}
      />
      {line && (
        <AddLine
          supply={shown.id}
          onAdd={(text) => void editing.compose("add a part", { edit: "add_line", text, near: middle })}
          onClose={() => {
            setLine(false);
            frame.current?.querySelector("svg")?.focus();
          }}
        />
      )}
      {figures !== "nothing" && taken.isError && (
        <p role="alert" className="border-b border-hairline bg-panel px-3 py-1 text-xs text-missed">
          {figures === "resting" ? "No operating point" : "No figures"}: {taken.error.message}
        </p>
      )}
      {of && !props.run && (
        <p className="border-b border-hairline bg-panel px-3 py-1 text-xs text-muted">
          Figures of a run stand here once the study has been run over time.
        </p>
      )}
      <div ref={frame} className="relative min-h-0 grow touch-none overflow-clip" {...handlers}>
        <div style={sheet.style} className="absolute will-change-transform">
          <svg
            viewBox={sheet.viewBox}
            className="h-full w-full select-none"
            role="group"
            tabIndex={0}
            aria-label="Circuit drawing; + and − zoom, 0 shows all of it, / adds a part"
            fill="none"
            stroke="var(--ink)"
            strokeWidth={0.14}
            strokeLinecap="round"
            strokeLinejoin="round"
          >
            {drawing.nets.map((drawn, i) => (
              <NetShape
                key={`${drawn.net} ${i}`}
                net={drawn}
                nameAt={lettering ? lettering.nets[i] : drawn.label_at}
                bare={lettering ? lettering.bare.includes(i) : drawn.bare}
                size={size}
                faded={stage !== undefined}
                lit={net?.name === drawn.net}
              />
            ))}
            {drawing.parts.map((drawn, i) => {
              const drags = moving?.parts.includes(drawn.id) ?? false;
              return (
                <PartShape
                  key={drawn.id}
                  drawn={drawn}
                  text={lettering?.parts[i]}
                  size={size}
                  kind={kind.get(drawn.kind)}
                  chosen={selected.includes(drawn.id)}
                  marked={marked.has(drawn.id)}
                  faded={
                    drags || (stage !== undefined && drawn.stage !== stage) || bypassed(supply, drawn.stage)
                  }
                />
              );
            })}
            {drawing.notes.map((drawn, index) => {
              const drags = gesture?.kind === "note" && gesture.note === index;
              return (
                <NoteShape key={index} note={drawn} index={index} dx={drags ? dx : 0} dy={drags ? dy : 0} />
              );
            })}
            {gesture?.kind === "line" && (
              <path
                d={`M${gesture.from.x} ${gesture.from.y} L${gesture.at.x} ${gesture.at.y}`}
                stroke="var(--copper)"
                strokeDasharray="0.6 0.4"
                pointerEvents="none"
              />
            )}
            {gesture?.kind === "frame" && (
              <rect
                x={Math.min(gesture.from.x, gesture.at.x)}
                y={Math.min(gesture.from.y, gesture.at.y)}
                width={Math.abs(gesture.at.x - gesture.from.x)}
                height={Math.abs(gesture.at.y - gesture.from.y)}
                fill="var(--copper-soft)"
                fillOpacity={0.4}
                stroke="var(--copper)"
                strokeWidth={0.1}
              />
            )}
          </svg>
        </div>
        {moving && (
          <Lifted
            view={view}
            parts={drawing.parts}
            lifted={moving.parts}
            lettering={lettering}
            kinds={kind}
            dx={dx}
            dy={dy}
          />
        )}
      </div>
      {net && (
        <NetCard
          key={net.name}
          at={net.at}
          net={net.name}
          pins={pins(net.name).map((end) => end.join(" "))}
          others={nets.filter((name) => name !== net.name)}
          onRename={(to) => {
            setNet(undefined);
            const known = supply.parts?.some((p) => Object.values(p.pins).includes(to));
            const edit = { edit: "rename_net", net: net.name, to, join: false } as const;
            void join(`rename ${net.name}`, net.name, known ? to : undefined, edit);
          }}
          onClose={() => setNet(undefined)}
        />
      )}
      {note && (
        <NoteCard
          key={note.index}
          at={note.at}
          text={supply.texts?.[note.index]?.text ?? ""}
          onChange={(text) =>
            editing.change("change a note", (document) => {
              const changed = document.texts?.[note.index];
              if (changed) changed.text = text;
            })
          }
          onRemove={() => {
            editing.change("remove a note", (document) => void document.texts?.splice(note.index, 1));
            setNote(undefined);
          }}
          onClose={() => setNote(undefined)}
        />
      )}
      {dialog}
    </div>
  );
}

interface LiftedProps {
  view: View;
  parts: SupplyShown["drawing"]["parts"];
  lifted: string[];
  lettering?: Lettering;
  kinds: Map<string, PartKind>;
  dx: number;
  dy: number;
}

/** Parts on their way, in a sheet of their own: moving them in the drawing would lay all of it out anew with
 * every step of the pointer. */
function Lifted({ view, parts, lifted, lettering, kinds, dx, dy }: LiftedProps) {
  return (
    <svg
      className="pointer-events-none absolute inset-0 h-full w-full contain-strict will-change-transform"
      viewBox={`${view.x} ${view.y} ${view.width} ${view.height}`}
      aria-hidden="true"
      fill="none"
      stroke="var(--copper)"
      strokeWidth={0.14}
      strokeLinecap="round"
      strokeLinejoin="round"
    >
      <g transform={`translate(${dx} ${dy})`}>
        {parts.map(
          (drawn, i) =>
            lifted.includes(drawn.id) && (
              <Picture
                key={drawn.id}
                drawn={drawn}
                text={lettering?.parts[i]}
                size={lettering?.size ?? 1}
                kind={kinds.get(drawn.kind)}
                chosen
              />
            ),
        )}
      </g>
    </svg>
  );
}

/** Parts as the history names them. */
function named(parts: string[]): string {
  return parts.length > 3 ? `${parts.length} parts` : parts.join(", ");
}

function bypassed(supply: SupplyShown["document"], stage?: string | null): boolean {
  return supply.stages?.some((s) => s.id === stage && s.bypassed) ?? false;
}
