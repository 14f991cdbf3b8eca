import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";

import {
  has,
  isOver,
  useMeasures,
  useTraces,
  type Measure,
  type Run,
  type Supply,
  type Unit,
} from "../api/client";
import type { Editing } from "../frame/editing";
import { LEFT, traceColour, RIGHT, type Size, type Trace, type View } from "../plot/draw";
import { SpanRuler } from "../plot/spanruler";
import { Strip, zoomed } from "../plot/strip";
import { ImportDialog } from "../measured/importing";
import { Button } from "../ui/button";
import { useKept } from "../ui/kept";
import { Notice } from "../ui/states";
import { SaveMenu } from "./savemenu";
import { SpanTable } from "./spantable";
import { ReferenceMenu, StripControls } from "./stripcontrols";
import { SignalTray } from "./tray";
import { useStrips } from "./usestrips";

/** A place in a run to look at: what decided a verdict. */
export interface Look {
  signals: string[];
  span: View;
  /** Counts up, so that the same place can be asked for again. */
  nth: number;
}

interface Props {
  supply: Supply;
  study: string;
  editing: Editing;
  run?: Run;
  /** Runs of the study that have ended, newest first: any of them can stand behind. */
  others: Run[];
  look?: Look;
  /** The run that stands behind the traces, if any. */
  behind: string;
  onBehind: (run: string) => void;
  /** Why it cannot be run. */
  blocked?: string;
}

const UNITS: Record<string, Unit> = { v: "volt", i: "ampere", p: "watt" };
const unitOf = (signal: string): Unit => UNITS[signal.at(-1) ?? "v"] ?? "volt";

/** What the user has chosen, once they have stopped changing it; what nobody chose does not wait. */
function useSettled<T>(chosen: T | undefined, delay: number): T | undefined {
  const [settled, setSettled] = useState(chosen);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(chosen), delay);
    return () => clearTimeout(timer);
  }, [chosen, delay]);
  return chosen && settled;
}

/** Plots under one time axis, and the span measured over them. */
export function Strips({ supply, study, editing, run, others, look, behind, onBehind, blocked }: Props) {
  const [saved, arrange] = useStrips(supply, study, editing);
  const strips = useMemo(() => (saved.length > 0 ? saved : [[]]), [saved]);
  const setStrips = (next: string[][]) => arrange("arrange the strips", next);
  const full = useMemo<View>(() => {
    const going = run && !isOver(run);
    const [from, to] = run?.recorded ?? [0, 0];
    return { from, to: going ? Math.max(to, run.duration) : to };
  }, [run]);
  const [chosen, setView] = useState<View>();
  const view = chosen ?? full;
  // The first reading with a window shows what the span ruler is good for.
  const read = run?.outcome?.readings.find((r) => r.window && r.window[0] > full.from)?.window;
  const [ownSpan, setSpan] = useState<View>();
  const span = ownSpan ?? (read ? { from: read[0], to: read[1] } : undefined);

  const [seen, setSeen] = useState(look?.nth);
  if (look && look.nth !== seen) {
    setSeen(look.nth);
    setSpan(look.span);
    setView(zoomed(look.span, (look.span.from + look.span.to) / 2, 1.5));
  }

  const area = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState<Size>({ width: 0, height: 0 });
  useEffect(() => {
    const element = area.current;
    if (!element) return;
    const observer = new ResizeObserver(() =>
      setSize({ width: element.clientWidth, height: element.clientHeight }),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  const signals = useMemo(() => [...new Set(strips.flat())], [strips]);
  const settled = useSettled(chosen, 60) ?? full;
  const pixels = Math.max(0, Math.round(size.width - LEFT - RIGHT));
  const traces = useTraces(run, signals, settled.from, settled.to, pixels);
  const reference = others.find((other) => other.id === behind && other.id !== run?.id);
  const referred = useMemo(
    () => (reference ? signals.filter((signal) => has(reference, signal)) : []),
    [reference, signals],
  );
  const before = useTraces(reference, referred, settled.from, settled.to, pixels);
  const settledSpan = useSettled(ownSpan, 120) ?? span;
  const [more, setMore] = useKept<Measure["id"][]>("span-columns", []);
  const measures = useMeasures(run, signals, settledSpan?.from ?? 0, settledSpan?.to ?? 0, more);
  const measuredBehind = useMeasures(reference, referred, settledSpan?.from ?? 0, settledSpan?.to ?? 0, more);
  const [importing, setImporting] = useState(false);
  const drawn = useMemo(
    () =>
      strips.map((strip) =>
        strip.map((signal): Trace => ({
          signal,
          unit: traces.data?.get(signal)?.unit ?? unitOf(signal),
          colour: signals.indexOf(signal),
          points: traces.data?.get(signal),
          behind: reference && before.data?.get(signal),
        })),
      ),
    [strips, signals, traces.data, reference, before.data],
  );
  const features = useMemo(() => {
    const all = (pick: "features_near_from" | "features_near_to") =>
      [...new Set(measures.data?.flatMap((m) => m[pick]))].sort((a, b) => a - b);
    return { from: all("features_near_from"), to: all("features_near_to") };
  }, [measures.data]);

  const onKey = (event: KeyboardEvent) => {
    // What opens over the strips has keys of its own.
    if ((event.target as HTMLElement).closest("input, select, [role=dialog], [role=menu]")) return;
    const length = view.to - view.from;
    const middle = (view.from + view.to) / 2;
    const next: Record<string, View | undefined> = {
      ArrowLeft: { from: view.from - 0.1 * length, to: view.to - 0.1 * length },
      ArrowRight: { from: view.from + 0.1 * length, to: view.to + 0.1 * length },
      "+": zoomed(view, middle, 0.7),
      "-": zoomed(view, middle, 1 / 0.7),
    };
    if (event.key === "0") setView(undefined);
    else if (next[event.key]) setView(next[event.key]);
    else return;
    event.preventDefault();
  };

  const change = (index: number, strip: string[]) =>
    setStrips(strips.map((s, i) => (i === index ? strip : s)));
  const height = Math.max(70, Math.floor(size.height / Math.max(1, strips.length)));
  return (
    <section aria-label="Strips" className="flex h-full flex-col bg-ground" onKeyDown={onKey}>
      <div className="flex h-7 shrink-0 items-center gap-0.5 px-2 text-xs text-muted">
        <Button
          look="quiet"
          className="h-6 text-xs"
          onClick={() => setView(undefined)}
          title="Show the whole run (0)"
        >
          Whole run
        </Button>
        <Button
          look="quiet"
          className="h-6 text-xs"
          disabled={!span}
          title="Show the span and a little beside it"
          onClick={() => span && setView(zoomed(span, (span.from + span.to) / 2, 1.2))}
        >
          Zoom to span
        </Button>
        <Button
          look="quiet"
          className="h-6 text-xs"
          title="Set the span to the middle of what is shown"
          onClick={() => setSpan(zoomed(view, (view.from + view.to) / 2, 0.5))}
        >
          Span here
        </Button>
        <span className="grow" />
        <ReferenceMenu
          runs={others.filter((other) => other.id !== run?.id)}
          value={reference?.id ?? ""}
          onChoose={onBehind}
        />
        {run && signals.length > 0 && (
          <SaveMenu
            run={run}
            name={`${supply.title}, ${study}, revision ${run.revision}`}
            signals={signals}
            view={view}
            span={span}
            canvases={() => [...(area.current?.querySelectorAll("canvas") ?? [])]}
            onImport={() => setImporting(true)}
          />
        )}
        {run && importing && (
          <ImportDialog
            id={run.supply}
            supply={supply}
            study={study}
            run={run}
            onDone={(added) => onBehind(added.id)}
            onClose={() => setImporting(false)}
          />
        )}
        <SignalTray
          label="New strip"
          supply={supply}
          run={run}
          onChoose={(signal) => setStrips([...strips.filter((s) => s.length > 0), [signal]])}
        />
      </div>
      <div
        ref={area}
        className="min-h-0 grow overflow-x-hidden overflow-y-auto"
        tabIndex={0}
        role="group"
        aria-label="Plots; + and − zoom, arrows pan, 0 shows the whole run"
        data-drawn={run && isOver(run) && traces.data && !traces.isPlaceholderData ? run.id : undefined}
      >
        {!run && blocked && <Notice>Nothing can be run yet. {blocked}</Notice>}
        {!run && !blocked && (
          <Notice>
            Nothing has been run yet. Press <strong className="text-copper">Run</strong> above to try the
            study; its traces grow here.
          </Notice>
        )}
        {run &&
          drawn.map((strip, i) => (
            <div key={i} className="group relative border-b border-hairline">
              <Strip
                traces={strip}
                view={view}
                span={span}
                size={{ width: size.width, height: height - 1 }}
                onView={setView}
                onFull={() => setView(undefined)}
                onSpan={setSpan}
              />
              {strip.map(
                (trace) =>
                  trace.points?.problem && (
                    <p
                      key={trace.signal}
                      role="alert"
                      className="absolute bottom-1 text-xs text-missed"
                      style={{ left: LEFT + 8 }}
                    >
                      {trace.signal} cannot be drawn: {trace.points.problem}
                    </p>
                  ),
              )}
              <StripControls
                supply={supply}
                run={run}
                strip={strips[i] ?? []}
                alone={strips.length === 1}
                first={i === 0}
                onChange={(next) => change(i, next)}
                onEarlier={() =>
                  setStrips(strips.map((s, k) => strips[k === i ? i - 1 : k === i - 1 ? i : k] ?? s))
                }
                onRemove={() => setStrips(strips.filter((_, k) => k !== i))}
              />
            </div>
          ))}
      </div>
      {run && (
        <>
          <SpanRuler view={view} width={size.width} span={span} features={features} onSpan={setSpan} />
          {span && (
            <SpanTable
              measures={measures.data ?? []}
              behind={reference ? (measuredBehind.data ?? []) : []}
              more={more}
              onMore={setMore}
              colour={(signal) => traceColour(signals.indexOf(signal))}
            />
          )}
        </>
      )}
    </section>
  );
}
