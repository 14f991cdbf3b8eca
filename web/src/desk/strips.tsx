import { Plus, X } from "lucide-react";
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";

import { isOver, useMeasures, useTraces, type Run, type Supply, type Unit } from "../api/client";
import { LEFT, traceColour, RIGHT, type Size, type Trace, type View } from "../plot/draw";
import { SpanRuler } from "../plot/spanruler";
import { Strip, zoomed } from "../plot/strip";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";
import { Notice } from "../ui/states";
import { SpanTable } from "./spantable";

interface Props {
  supply: Supply;
  study: string;
  run?: Run;
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
export function Strips({ supply, study, run, blocked }: Props) {
  const suggested = supply.studies?.find((s) => s.id === study)?.strips;
  const [strips, setStrips] = useState<string[][]>(suggested?.length ? suggested : [[]]);
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
  const settledSpan = useSettled(ownSpan, 120) ?? span;
  const measures = useMeasures(run, signals, settledSpan?.from ?? 0, settledSpan?.to ?? 0);
  const drawn = useMemo(
    () =>
      strips.map((strip) =>
        strip.map((signal): Trace => ({
          signal,
          unit: unitOf(signal),
          colour: signals.indexOf(signal),
          points: traces.data?.get(signal),
        })),
      ),
    [strips, signals, traces.data],
  );
  const features = useMemo(() => {
    const all = (pick: "features_near_from" | "features_near_to") =>
      [...new Set(measures.data?.flatMap((m) => m[pick]))].sort((a, b) => a - b);
    return { from: all("features_near_from"), to: all("features_near_to") };
  }, [measures.data]);

  const onKey = (event: KeyboardEvent) => {
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
  const offered = useMemo(() => signalNames(supply), [supply]);
  return (
    <section aria-label="Strips" className="flex h-full flex-col bg-ground" onKeyDown={onKey}>
      <div
        className="flex h-7 shrink-0 items-center gap-1 pr-2 text-xs text-muted"
        style={{ paddingLeft: LEFT }}
      >
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
        <SignalMenu
          label="New strip"
          offered={offered}
          onChoose={(signal) => setStrips([...strips, [signal]])}
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
              <div className="absolute top-0.5 right-0 flex opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
                <SignalMenu
                  label="Add a trace to this strip"
                  short
                  offered={offered.filter((s) => !strip.some((t) => t.signal === s))}
                  onChoose={(signal) => change(i, [...strip.map((t) => t.signal), signal])}
                />
                {strips.length > 1 && (
                  <Button
                    look="quiet"
                    className="h-6"
                    aria-label="Remove this strip"
                    title="Remove this strip"
                    onClick={() => setStrips(strips.filter((_, k) => k !== i))}
                  >
                    <X size={13} />
                  </Button>
                )}
              </div>
            </div>
          ))}
      </div>
      {run && (
        <>
          <SpanRuler view={view} width={size.width} span={span} features={features} onSpan={setSpan} />
          {span && (
            <SpanTable
              measures={measures.data ?? []}
              colour={(signal) => traceColour(signals.indexOf(signal))}
            />
          )}
        </>
      )}
    </section>
  );
}

/** Every signal there is, nets first. */
function signalNames(supply: Supply): string[] {
  const nets = new Set(supply.parts?.flatMap((p) => Object.values(p.pins)));
  nets.delete("gnd");
  const parts = supply.parts ?? [];
  return [
    ...[...nets].map((n) => `${n}.v`),
    ...parts.flatMap((p) => [`${p.id}.v`, `${p.id}.i`, `${p.id}.p`]),
  ];
}

interface MenuProps {
  label: string;
  short?: boolean;
  offered: string[];
  onChoose: (signal: string) => void;
}

function SignalMenu({ label, short, offered, onChoose }: MenuProps) {
  return (
    <Menu
      className="figures text-sm"
      trigger={
        <Button look="quiet" className="h-6 text-xs" aria-label={label} title={label}>
          <Plus size={13} /> {!short && label}
        </Button>
      }
    >
      {offered.map((signal) => (
        <MenuItem key={signal} className="py-0.5" onSelect={() => onChoose(signal)}>
          {signal}
        </MenuItem>
      ))}
    </Menu>
  );
}
