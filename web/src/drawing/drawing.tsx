import { useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";

import type { Finding, PartKind, SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { AddLine } from "./addline";
import { NetCard, NoteCard } from "./cards";
import { useClipboard } from "./clipboard";
import { useJoining } from "./joining";
import { aligned, mirrored, moved, turned, type Change } from "./partedits";
import { NetShape, NoteShape, PartShape, Picture } from "./shapes";
import { Tools } from "./tools";
import { useViewport, type Point, type View } from "./viewport";

interface Props {
  shown: SupplyShown;
  kinds: PartKind[];
  findings: Finding[];
  selected: string[];
  stage?: string;
  onSelect: (parts: string[]) => void;
  editing: Editing;
}

/** What the pointer is doing, from where it went down (grid squares) to where it is now. */
type Gesture = { from: Point; at: Point; client: Point; far: boolean } & (
  | { kind: "move"; parts: string[]; part: string; extend: boolean }
  | { kind: "note"; note: number }
  | { kind: "net"; net: string }
  | { kind: "line"; pin: [string, string] }
  | { kind: "frame" }
  | { kind: "pan"; view: View }
);

/** Pixels the pointer may wander before a click is a drag. */
const STEADY = 4;
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** The circuit as the server laid it out, in grid squares, and everything one does to it by hand. */
export function Drawing({ shown, kinds, findings, selected, stage, onSelect, editing }: Props) {
  const { drawing, document: supply } = shown;
  const svg = useRef<SVGSVGElement>(null);
  const { view, grid, zoom, pan, fit } = useViewport(svg, drawing, stage);
  const [gesture, setGesture] = useState<Gesture>();
  const [line, setLine] = useState(false);
  const [net, setNet] = useState<{ name: string; at: { left: number; top: number } }>();
  const [note, setNote] = useState<{ index: number; at: { left: number; top: number } }>();
  const { join, dialog } = useJoining(shown.id, editing);
  const kind = useMemo(() => new Map(kinds.map((k) => [k.id, k])), [kinds]);
  const marked = useMemo(
    () => new Set(findings.map((f) => ("part" in f.place ? f.place.part : undefined))),
    [findings],
  );
  const places = useMemo(() => new Map(drawing.parts.map((p) => [p.id, p.at])), [drawing]);
  const pins = (name: string) =>
    supply.parts?.flatMap((p) =>
      Object.entries(p.pins).flatMap(([pin, on]) =>
        on === name ? ([[p.id, pin]] as [string, string][]) : [],
      ),
    ) ?? [];
  const netOf = ([part, pin]: [string, string]) => supply.parts?.find((p) => p.id === part)?.pins[pin];
  const middle: [number, number] = [
    Math.round(view.x + view.width / 2),
    Math.round(view.y + view.height / 2),
  ];
  const { copy, paste, duplicate } = useClipboard(supply, editing, onSelect);

  const named = selected.length > 3 ? `${selected.length} parts` : selected.join(", ");
  const change = (what: string, edit: Change) => editing.change(`${what} ${named}`, edit);
  const remove = () => {
    void editing.compose(`remove ${named}`, { edit: "remove_parts", parts: selected });
    onSelect([]);
  };

  const beside = (client: Point) => {
    const box = svg.current?.getBoundingClientRect();
    const [left, top] = [client.x - (box?.left ?? 0), client.y - (box?.top ?? 0)];
    return { left: Math.max(4, Math.min(left + 8, (box?.width ?? 0) - 250)), top: top + 48 };
  };

  const onDown = (event: PointerEvent<SVGSVGElement>) => {
    if (event.button !== 0) return;
    const target = event.target as Element;
    const from = grid(event);
    const base = { from, at: from, client: { x: event.clientX, y: event.clientY }, far: false };
    const part = target.closest("[data-part]")?.getAttribute("data-part");
    const pin = target.closest("[data-pin]")?.getAttribute("data-pin");
    const onNet = target.closest("[data-net]")?.getAttribute("data-net");
    const onNote = target.closest("[data-note]")?.getAttribute("data-note");
    event.currentTarget.setPointerCapture(event.pointerId);
    setNet(undefined);
    setNote(undefined);
    if (part && pin && !event.shiftKey) setGesture({ ...base, kind: "line", pin: [part, pin] });
    else if (part) {
      const extend = event.shiftKey;
      const parts = selected.includes(part) ? selected : extend ? [...selected, part] : [part];
      setGesture({ ...base, kind: "move", parts, part, extend });
    } else if (onNote) setGesture({ ...base, kind: "note", note: Number(onNote) });
    else if (onNet) setGesture({ ...base, kind: "net", net: onNet });
    else if (event.shiftKey) setGesture({ ...base, kind: "frame" });
    else setGesture({ ...base, kind: "pan", view });
  };

  const onMove = (event: PointerEvent<SVGSVGElement>) => {
    if (!gesture) return;
    const [dx, dy] = [event.clientX - gesture.client.x, event.clientY - gesture.client.y];
    const far = gesture.far || Math.hypot(dx, dy) > STEADY;
    if (!far) return;
    if (gesture.kind === "pan") {
      const scale = svg.current?.getScreenCTM()?.a ?? 1;
      pan(gesture.view, dx / scale, dy / scale);
    }
    setGesture({ ...gesture, at: grid(event), far });
  };

  const onUp = (event: PointerEvent<SVGSVGElement>) => {
    if (!gesture) return;
    setGesture(undefined);
    const { from, at, far } = gesture;
    const [dx, dy] = [Math.round(at.x - from.x), Math.round(at.y - from.y)];
    switch (gesture.kind) {
      case "move":
        if (far && (dx !== 0 || dy !== 0)) {
          editing.change(`move ${gesture.parts.join(", ")}`, moved(gesture.parts, places, dx, dy));
        } else if (gesture.extend) {
          const without = selected.filter((id) => id !== gesture.part);
          onSelect(without.length < selected.length ? without : [...selected, gesture.part]);
        } else onSelect([gesture.part]);
        break;
      case "note":
        if (!far) setNote({ index: gesture.note, at: beside(gesture.client) });
        else
          editing.change("move a note", (document) => {
            const moving = document.texts?.[gesture.note];
            if (moving) [moving.x, moving.y] = [moving.x + dx, moving.y + dy];
          });
        break;
      case "net":
        if (!far) setNet({ name: gesture.net, at: beside(gesture.client) });
        break;
      case "line":
        if (far) drop(gesture.pin, event);
        else onSelect([gesture.pin[0]]);
        break;
      case "frame": {
        const inside = (p: Point) =>
          Math.min(from.x, at.x) <= p.x &&
          p.x <= Math.max(from.x, at.x) &&
          Math.min(from.y, at.y) <= p.y &&
          p.y <= Math.max(from.y, at.y);
        onSelect(drawing.parts.filter((p) => inside(p.at)).map((p) => p.id));
        break;
      }
      case "pan":
        if (!far) onSelect([]);
    }
  };

  /** Joins the pin a line was pulled from to what lies where it ended. */
  const drop = (pin: [string, string], event: PointerEvent) => {
    const target = document.elementFromPoint(event.clientX, event.clientY);
    const [part, end] = [
      target?.closest("[data-part]")?.getAttribute("data-part"),
      target?.closest("[data-pin]")?.getAttribute("data-pin"),
    ];
    const onNet = target?.closest("[data-net]")?.getAttribute("data-net");
    const to: [string, string] | undefined = part && end ? [part, end] : onNet ? pins(onNet)[0] : undefined;
    if (!to || (to[0] === pin[0] && to[1] === pin[1])) return;
    const what = `join ${pin[0]} to ${onNet ?? to[0]}`;
    void join(what, netOf(pin), netOf(to), { edit: "connect", from: pin, to, join: false });
  };

  const onKey = (event: KeyboardEvent) => {
    // What is typed into a field of a card is not meant for the drawing.
    if (event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) return;
    const target = (event.target as Element).closest("[data-part]")?.getAttribute("data-part");
    const control = event.ctrlKey || event.metaKey;
    const focused = target && !selected.includes(target) ? [target] : selected;
    if (control && !event.altKey) {
      if (event.key === "c" && focused.length > 0) copy(focused);
      else if (event.key === "v") paste();
      else if (event.key === "d" && focused.length > 0) duplicate(focused);
      else if (event.key === "a") onSelect(drawing.parts.map((p) => p.id));
      else return;
    } else if (event.altKey) return;
    else if (event.key === "/") setLine(true);
    else if (event.key === "+") zoom(0.8);
    else if (event.key === "-") zoom(1.25);
    else if (event.key === "0") fit();
    else if (focused.length > 0 || target) {
      const each = focused.length > 0 ? focused : [];
      const arrow = ARROWS[event.key];
      const what = each.length > 3 ? `${each.length} parts` : each.join(", ");
      if ((event.key === "Enter" || event.key === " ") && target) {
        onSelect(event.shiftKey ? [...new Set([...selected, target])] : [target]);
      } else if (arrow) editing.change(`move ${what}`, moved(each, places, ...arrow));
      else if (event.key === "t") editing.change(`turn ${what}`, turned(each, places));
      else if (event.key === "m") editing.change(`mirror ${what}`, mirrored(each, places));
      else if (event.key === "Delete") {
        void editing.compose(`remove ${what}`, { edit: "remove_parts", parts: each });
        onSelect([]);
      } else return;
    } else return;
    event.preventDefault();
  };

  const moving = gesture?.kind === "move" && gesture.far ? gesture : undefined;
  const [dx, dy] = gesture
    ? [Math.round(gesture.at.x - gesture.from.x), Math.round(gesture.at.y - gesture.from.y)]
    : [0, 0];
  return (
    <div className="relative flex h-full flex-col bg-ground" data-testid="drawing" onKeyDown={onKey}>
      <Tools
        shown={shown}
        kinds={kinds}
        selected={selected}
        near={middle}
        editing={editing}
        onLine={() => setLine(true)}
        onFit={fit}
        onTurn={() => change("turn", turned(selected, places))}
        onMirror={() => change("mirror", mirrored(selected, places))}
        onAlign={(along) => change("align", aligned(selected, places, along))}
        onDuplicate={() => duplicate(selected)}
        onRemove={remove}
      />
      {line && (
        <AddLine
          supply={shown.id}
          onAdd={(text) => void editing.compose("add a part", { edit: "add_line", text, near: middle })}
          onClose={() => setLine(false)}
        />
      )}
      <svg
        ref={svg}
        className="min-h-0 w-full grow touch-none will-change-transform select-none"
        viewBox={`${view.x} ${view.y} ${view.width} ${view.height}`}
        role="group"
        tabIndex={0}
        aria-label="Circuit drawing; + and − zoom, 0 shows all of it, / adds a part"
        fill="none"
        stroke="var(--ink)"
        strokeWidth={0.14}
        strokeLinecap="round"
        strokeLinejoin="round"
        onPointerDown={onDown}
        onPointerMove={onMove}
        onPointerUp={onUp}
        onPointerCancel={() => setGesture(undefined)}
      >
        {drawing.nets.map((drawn, i) => (
          <NetShape key={`${drawn.net} ${i}`} net={drawn} faded={stage !== undefined} />
        ))}
        {drawing.parts.map((drawn) => {
          const drags = moving?.parts.includes(drawn.id) ?? false;
          return (
            <PartShape
              key={drawn.id}
              drawn={drawn}
              kind={kind.get(drawn.kind)}
              chosen={selected.includes(drawn.id)}
              marked={marked.has(drawn.id)}
              faded={drags || (stage !== undefined && drawn.stage !== stage) || bypassed(supply, drawn.stage)}
            />
          );
        })}
        {drawing.notes.map((drawn, index) => {
          const drags = gesture?.kind === "note" && gesture.far && gesture.note === index;
          return <NoteShape key={index} note={drawn} index={index} dx={drags ? dx : 0} dy={drags ? dy : 0} />;
        })}
        {gesture?.kind === "line" && gesture.far && (
          <path
            d={`M${gesture.from.x} ${gesture.from.y} L${gesture.at.x} ${gesture.at.y}`}
            stroke="var(--copper)"
            strokeDasharray="0.6 0.4"
            pointerEvents="none"
          />
        )}
        {gesture?.kind === "frame" && gesture.far && (
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
      {moving && (
        <Lifted
          view={view}
          parts={drawing.parts.filter((p) => moving.parts.includes(p.id))}
          kinds={kind}
          dx={dx}
          dy={dy}
        />
      )}
      {net && (
        <NetCard
          key={net.name}
          at={net.at}
          net={net.name}
          pins={pins(net.name).map((end) => end.join(" "))}
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
  kinds: Map<string, PartKind>;
  dx: number;
  dy: number;
}

/** Parts on their way, in a sheet of their own: moving them in the drawing would lay all of it out anew with
 * every step of the pointer. */
function Lifted({ view, parts, kinds, dx, dy }: LiftedProps) {
  return (
    <svg
      className="pointer-events-none absolute inset-x-0 top-9 bottom-0 h-[calc(100%-36px)] w-full contain-strict will-change-transform"
      viewBox={`${view.x} ${view.y} ${view.width} ${view.height}`}
      aria-hidden="true"
      fill="none"
      stroke="var(--copper)"
      strokeWidth={0.14}
      strokeLinecap="round"
      strokeLinejoin="round"
    >
      <g transform={`translate(${dx} ${dy})`}>
        {parts.map((drawn) => (
          <Picture key={drawn.id} drawn={drawn} kind={kinds.get(drawn.kind)} chosen />
        ))}
      </g>
    </svg>
  );
}

function bypassed(supply: SupplyShown["document"], stage?: string | null): boolean {
  return supply.stages?.some((s) => s.id === stage && s.bypassed) ?? false;
}
