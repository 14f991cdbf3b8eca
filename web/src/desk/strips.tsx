import { useEffect, useMemo, useRef, useState } from "react";

import {
  has,
  isOver,
  nameOf,
  type Measure,
  type Run,
  type Strip,
  type StripTrace,
  type Supply,
  type Unit,
} from "../api/client";
import { useMeasures, useTraces, useTracesOf } from "../api/traces";
import type { Editing } from "../frame/editing";
import { LEFT, traceColour, RIGHT, type Trace, type View } from "../plot/frame";
import type { Drawn } from "../plot/save";
import { SpanRuler } from "../plot/spanruler";
import { zoomed } from "../plot/strip";
import { ImportDialog } from "../measured/importing";
import { useKept } from "../ui/kept";
import { Notice } from "../ui/states";
import { ReferenceMenu } from "../strips/behind";
import { CrossingSearch } from "./crossing";
import { SaveMenu } from "./savemenu";
import { ShownStrip } from "./shown";
import { SpanTable } from "./spantable";
import { StripControls } from "./stripcontrols";
import { SignalTray } from "./tray";
import { SpanButtons } from "../strips/spanbuttons";
import { Stack } from "../strips/stack";
import { coloursIn, signalsOf, stripOf, useStrips } from "../strips/usestrips";
import { onViewKey, useArea, useSettled, type Seen } from "../strips/viewing";

/** A place in a run to look at: what decided a verdict. */
export interface Look {
  study: string;
  signals: string[];
  span: View;
  /** Counts up, so that the same place can be asked for again. */
  nth: number;
}

interface Props {
  id: string;
  supply: Supply;
  study: string;
  editing: Editing;
  run?: Run;
  /** Runs of the study that have ended, newest first: any of them can stand behind. */
  others: Run[];
  look?: Look;
  /** What is looked at; the whole run and a span of its own as long as nothing was chosen. */
  seen: Seen;
  onSeen: (seen: Seen) => void;
  /** Runs that stand behind the traces; differences are taken from the first. */
  behind: string[];
  onBehind: (runs: string[]) => void;
  /** Why it cannot be run. */
  blocked?: string;
}

const UNITS: Record<string, Unit> = { v: "volt", i: "ampere", p: "watt" };
/** Pixels by which the width asked for goes up. */
const STEP = 128;
const WIDTHS = { fine: 1, usual: 1.5, bold: 3 };
const EMPTY: Strip[] = [{ traces: [] }];
const NO_TRACES: Trace[] = [];

/** The unit of a signal by its letter, until the run says. */
const guessed = (signal: string): Unit => UNITS[signal.at(-1) ?? "v"] ?? "volt";

/** Whether a strip asks the server for what is in its window or span, so that it waits until they rest. */
const settledFor = (strip: Strip) => (strip.shows ?? "course") !== "course";

/** Plots under one time axis, and the span measured over them. */
export function Strips(props: Props) {
  const { id, supply, study, editing, run, others, look, seen, onSeen, behind, onBehind, blocked } = props;
  const [saved, arrange] = useStrips(supply, study, editing);
  const strips = saved.length > 0 ? saved : EMPTY;
  const setStrips = (next: Strip[]) => arrange("arrange the strips", next);
  const full = useMemo<View>(() => {
    const going = run && !isOver(run);
    const [from, to] = run?.recorded ?? [0, 0];
    return { from, to: going ? Math.max(to, run.duration) : to };
  }, [run]);
  const { view: chosen, span: ownSpan } = seen;
  const view = chosen ?? full;
  const setView = (next?: View) => onSeen({ ...seen, view: next });
  const setSpan = (next: View) => onSeen({ ...seen, span: next });
  // The first reading with a window shows what the span ruler is good for.
  const read = run?.outcome?.readings.find((r) => r.window && r.window[0] > full.from)?.window;
  const span = ownSpan ?? (read ? { from: read[0], to: read[1] } : undefined);

  useEffect(() => {
    if (!look || look.nth === seen.followed) return;
    const around = zoomed(look.span, (look.span.from + look.span.to) / 2, 1.5);
    onSeen({ view: around, span: look.span, followed: look.nth });
  }, [look, seen, onSeen]);

  const [area, size] = useArea();
  const signals = useMemo(() => [...new Set(strips.flatMap(signalsOf))], [strips]);
  const palette = useMemo(() => coloursIn(strips), [strips]);
  const settled = useSettled(chosen, 25) ?? full;
  // In steps, so that a pane that moves by some pixels asks for nothing new.
  const pixels = Math.max(0, STEP * Math.ceil((size.width - LEFT - RIGHT) / STEP));
  const traces = useTraces(run, signals, settled.from, settled.to, pixels);
  const runsBehind = useMemo(
    () => behind.flatMap((id) => others.find((other) => other.id === id && other.id !== run?.id) ?? []),
    [behind, others, run?.id],
  );
  const reference = runsBehind[0];
  const referred = useMemo(
    () => (reference ? signals.filter((signal) => has(reference, signal)) : []),
    [reference, signals],
  );
  const before = useTracesOf(runsBehind, signals, settled.from, settled.to, pixels);
  const settledSpan = useSettled(ownSpan, 120) ?? span;
  const [more, setMore] = useKept<Measure["id"][]>("span-columns", []);
  const [formulas, setFormulas] = useKept<string[]>(`span-formulas-${id}`, []);
  const [from, to] = [settledSpan?.from ?? 0, settledSpan?.to ?? 0];
  // Traces come first; measuring passes over every node of the span.
  const drawnOnce = useSettled(traces.data && true, 150) ?? false;
  const measures = useMeasures(run, signals, from, to, more, formulas, drawnOnce);
  const measuredBehind = useMeasures(reference, referred, from, to, more, formulas, drawnOnce);
  const [importing, setImporting] = useState(false);
  const drawn = useMemo(
    () =>
      strips.map((strip) =>
        strip.traces.map((trace): Trace => ({
          signal: trace.signal,
          unit: traces.data?.get(trace.signal)?.unit ?? guessed(trace.signal),
          colour: trace.colour ?? palette.get(trace.signal) ?? 0,
          width: WIDTHS[trace.weight ?? "usual"],
          marked: trace.points ?? false,
          side: trace.side ?? undefined,
          points: traces.data?.get(trace.signal),
          behind: before.map((of) => of?.get(trace.signal)),
        })),
      ),
    [strips, palette, traces.data, before],
  );
  const unitOf = (signal: string) => traces.data?.get(signal)?.unit ?? guessed(signal);
  const colourOf = (trace: StripTrace) => trace.colour ?? palette.get(trace.signal) ?? 0;
  const colours = (signal: string) => {
    const trace = strips.flatMap((strip) => strip.traces).find((t) => t.signal === signal);
    return `var(${traceColour(trace ? colourOf(trace) : 0)})`;
  };
  const features = useMemo(() => {
    const all = (pick: "features_near_from" | "features_near_to") =>
      [...new Set(measures.data?.flatMap((m) => m[pick]))].sort((a, b) => a - b);
    return { from: all("features_near_from"), to: all("features_near_to") };
  }, [measures.data]);

  const pictures = useRef(new Map<number, Drawn>());
  return (
    <section
      data-pane
      aria-label="Strips"
      className="flex h-full flex-col bg-ground"
      onKeyDown={(event) => onViewKey(event, view, setView)}
    >
      <div className="flex h-7 shrink-0 items-center gap-0.5 px-2 text-xs text-muted">
        <SpanButtons
          all={["Whole run", "Show the whole run (0)"]}
          view={view}
          span={span}
          onView={setView}
          onSpan={setSpan}
        />
        <CrossingSearch
          id={props.id}
          run={run}
          signals={signals}
          unitOf={unitOf}
          at={span?.from ?? view.from}
          onFound={(time) => {
            const length = span && span.to > span.from ? span.to - span.from : 0.1 * (view.to - view.from);
            const to = span && span.to > time ? span.to : Math.min(time + length, full.to);
            const there = time >= view.from && time <= view.to;
            const moved = {
              from: time - 0.5 * (view.to - view.from),
              to: time + 0.5 * (view.to - view.from),
            };
            onSeen({ ...seen, span: { from: time, to }, view: there ? chosen : moved });
          }}
        />
        <span className="grow" />
        <ReferenceMenu
          runs={others.filter((other) => other.id !== run?.id)}
          chosen={runsBehind.map((each) => each.id)}
          onChoose={onBehind}
        />
        {run && signals.length > 0 && (
          <SaveMenu
            run={run}
            name={[supply.title, supply.studies?.find((s) => s.id === study)?.title ?? study, nameOf(run)]}
            signals={signals}
            view={view}
            span={span}
            strips={() => [...pictures.current].sort(([a], [b]) => a - b).map(([, drawn]) => drawn)}
            onImport={() => setImporting(true)}
          />
        )}
        {run && importing && (
          <ImportDialog
            id={run.supply}
            supply={supply}
            study={study}
            run={run}
            onDone={(added) => {
              onBehind([added.id]);
              // What no strip shows yet gets one.
              const missing = added.measured?.channels
                .map((c) => c.signal)
                .filter((s) => !signals.includes(s));
              if (missing?.length)
                setStrips([...strips.filter((s) => s.traces.length > 0), ...missing.map((s) => stripOf(s))]);
            }}
            onClose={() => setImporting(false)}
          />
        )}
        <SignalTray
          label="New strip"
          supply={supply}
          run={run}
          onChoose={(signal) => setStrips([...strips.filter((s) => s.traces.length > 0), stripOf(signal)])}
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
        {run && saved.length === 0 && (
          <Notice>
            No strip shows anything yet. Press <strong className="text-copper">New strip</strong> above and
            choose a signal: a voltage of a net, or the current of a part.
          </Notice>
        )}
        {run && saved.length > 0 && (
          <Stack strips={strips} size={size} onStrips={setStrips}>
            {(strip, own, moves) => (
              <>
                <ShownStrip
                  look={strip}
                  run={run}
                  behind={runsBehind}
                  traces={drawn[moves.nth] ?? NO_TRACES}
                  view={settledFor(strip) ? settled : view}
                  span={settledFor(strip) ? settledSpan : span}
                  size={own}
                  onView={setView}
                  onFull={() => setView(undefined)}
                  onSpan={setSpan}
                  drawn={pictures}
                  place={moves.nth}
                />
                <StripControls
                  id={props.id}
                  supply={supply}
                  run={run}
                  strip={strip}
                  unitOf={unitOf}
                  colourOf={colourOf}
                  {...moves}
                />
              </>
            )}
          </Stack>
        )}
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
              formulas={formulas}
              onFormulas={setFormulas}
              colour={colours}
            />
          )}
        </>
      )}
    </section>
  );
}
