import { useEffect, useMemo, useRef, type RefObject } from "react";

import { isOver, nameOf, type Run, type Strip as StripLook, type Supply } from "../api/client";
import { useCurves, useCurveSpan, useCurvesOf, type Curves, type Mask } from "../api/curves";
import { ReferenceMenu } from "../strips/behind";
import { SpanButtons } from "../strips/spanbuttons";
import { Stack } from "../strips/stack";
import { coloursIn, signalsOf, useStrips } from "../strips/usestrips";
import { onViewKey, useArea, useSettled, type Seen } from "../strips/viewing";
import type { Editing } from "../frame/editing";
import { decadesOf, FREQUENCY, hertzOf, LEFT, traceColour, type Size, type View } from "../plot/frame";
import type { Draw } from "../plot/pen";
import { Plot } from "../plot/plot";
import type { Drawn } from "../plot/save";
import { SpanRuler } from "../plot/spanruler";
import { Strip, zoomed } from "../plot/strip";
import { Notice } from "../ui/states";
import { CurveChoice, CurveControls } from "./controls";
import { drawComplexPlane, drawCurves, type DrawnCurve } from "./draw";
import { SaveCurves } from "./save";
import { lookOf } from "./sides";
import { CurveTable } from "./table";

interface Props {
  supply: Supply;
  /** The supply's revision. */
  revision: number;
  study: string;
  editing: Editing;
  run?: Run;
  /** Runs of the study that have ended, newest first: any of them can stand behind. */
  others: Run[];
  /** What is looked at, in decades; everything and a span of its own as long as nothing was chosen. */
  seen: Seen;
  onSeen: (seen: Seen) => void;
  behind: string[];
  onBehind: (runs: string[]) => void;
  /** Why it cannot be run. */
  blocked?: string;
}

const WIDTHS = { fine: 1, usual: 1.5, bold: 3 };
const NOTHING: View = { from: 1, to: 6 };
const NO_FEATURES: number[] = [];

/** What the curves of a run cover, decades. */
function coverOf(curves: Curves | undefined): View {
  const [first, last] = [curves?.frequencies[0], curves?.frequencies.at(-1)];
  return first !== undefined && last !== undefined && last > first
    ? { from: decadesOf(first), to: decadesOf(last) }
    : NOTHING;
}

/** Curves under one axis of frequency, and the span measured over them. */
export function CurveStrips(props: Props) {
  const { supply, revision, study, editing, run, others, seen, onSeen, behind, onBehind, blocked } = props;
  const [strips, arrange] = useStrips(supply, study, editing);
  const setStrips = (next: StripLook[]) => arrange("arrange the strips", next);
  const [area, size] = useArea();
  const formulas = useMemo(() => [...new Set(strips.flatMap(signalsOf))], [strips]);
  const found = useCurves(run, formulas, revision);
  const runsBehind = useMemo(
    () => behind.flatMap((id) => others.find((other) => other.id === id && other.id !== run?.id) ?? []),
    [behind, others, run?.id],
  );
  const before = useCurvesOf(runsBehind, formulas, revision);
  const full = useMemo(() => coverOf(found.data), [found.data]);
  const view = seen.view ?? full;
  const setView = (next?: View) => onSeen({ ...seen, view: next });
  const setSpan = (next: View) => onSeen({ ...seen, span: next });
  const span = seen.span ?? zoomed(full, (full.from + full.to) / 2, 0.4);
  const settledSpan = useSettled(seen.span, 120) ?? span;
  const spans = useCurveSpan(found.data && run, formulas, hertzOf(settledSpan.from), hertzOf(settledSpan.to));
  const palette = useMemo(() => coloursIn(strips), [strips]);
  const drawn = useMemo(
    () =>
      strips.map((strip) =>
        strip.traces.flatMap((trace): DrawnCurve[] => {
          const of = (curves: Curves | undefined, nth?: number): DrawnCurve[] => {
            const curve = curves?.curves.find((each) => each.formula === trace.signal);
            if (!curves || !curve || curve.problem) return [];
            const colour = trace.colour ?? palette.get(trace.signal) ?? 0;
            const width = WIDTHS[trace.weight ?? "usual"];
            const at = curves.frequencies.map(decadesOf);
            return [{ name: trace.signal, colour, width, curve, at, behind: nth }];
          };
          return [...before.flatMap((curves, nth) => of(curves, nth)), ...of(found.data)];
        }),
      ),
    [strips, palette, found.data, before],
  );
  const problems = (strip: StripLook) =>
    found.data?.curves.filter((c) => c.problem && signalsOf(strip).includes(c.formula)) ?? [];
  const toldOfTones = (strip: StripLook) =>
    found.data?.curves.filter((c) => c.tones_said && signalsOf(strip).includes(c.formula)) ?? [];
  // Ends of the span snap to crossovers and peaks.
  const features = useMemo(() => {
    const all = found.data?.curves.flatMap((c) => [
      ...c.crossovers.map((each) => each.frequency),
      ...c.peaks.map((each) => each.frequency),
      ...(c.phase_crossover == null ? [] : [c.phase_crossover]),
    ]);
    const sorted = all ? [...new Set(all.map(decadesOf))].sort((a, b) => a - b) : NO_FEATURES;
    return { from: sorted, to: sorted };
  }, [found.data]);
  const colour = (formula: string) => `var(${traceColour(palette.get(formula) ?? 0)})`;
  const pictures = useRef(new Map<number, Drawn>());
  const questions = found.data?.questions.map((question) => question.id) ?? [];
  const title = supply.studies?.find((s) => s.id === study)?.title ?? study;
  return (
    <section
      data-pane
      aria-label="Strips"
      className="flex h-full flex-col bg-ground"
      onKeyDown={(event) => onViewKey(event, view, setView)}
    >
      <div className="flex h-7 shrink-0 items-center gap-0.5 px-2 text-xs text-muted">
        <SpanButtons
          all={["All of it", "Show all frequencies (0)"]}
          view={view}
          span={span}
          onView={setView}
          onSpan={setSpan}
        />
        <span className="grow" />
        <ReferenceMenu
          runs={others.filter((other) => other.id !== run?.id)}
          chosen={runsBehind.map((each) => each.id)}
          onChoose={onBehind}
        />
        {run && found.data && (
          <SaveCurves
            run={run}
            name={[supply.title, title, nameOf(run)]}
            curves={found.data}
            view={view}
            strips={() => [...pictures.current].sort(([a], [b]) => a - b).map(([, each]) => each)}
          />
        )}
        <CurveChoice
          label="New strip"
          offered={questions}
          onChoose={(curve) =>
            setStrips([...strips, { traces: [{ signal: curve }], shows: { curve: { side: "magnitude" } } }])
          }
        />
      </div>
      <div
        ref={area}
        className="min-h-0 grow overflow-x-hidden overflow-y-auto"
        tabIndex={0}
        role="group"
        aria-label="Plots; + and − zoom, arrows pan, 0 shows all frequencies"
        data-drawn={run && isOver(run) && found.data && !found.isPlaceholderData ? run.id : undefined}
      >
        {!run && (
          <Notice>
            {blocked ? (
              `Nothing can be run yet. ${blocked}`
            ) : (
              <>
                Nothing has been asked yet. Press <strong className="text-copper">Run</strong> above; the
                answers stand here as curves over frequency.
              </>
            )}
          </Notice>
        )}
        {run && strips.length === 0 && (
          <Notice>
            No strip shows anything yet. Press <strong className="text-copper">New strip</strong> above and
            choose a curve.
          </Notice>
        )}
        {run && strips.length > 0 && (
          <Stack strips={strips} size={size} onStrips={setStrips}>
            {(strip, own, moves) => (
              <>
                <CurveStrip
                  strip={strip}
                  curves={drawn[moves.nth] ?? []}
                  half={found.data?.half ?? undefined}
                  masks={(found.data?.masks ?? []).filter((mask) => signalsOf(strip).includes(mask.formula))}
                  view={view}
                  span={span}
                  size={own}
                  onView={setView}
                  onFull={() => setView(undefined)}
                  onSpan={setSpan}
                  drawn={pictures}
                  place={moves.nth}
                />
                <div className="absolute bottom-1" style={{ left: LEFT + 8 }}>
                  {problems(strip).map((curve) => (
                    <p key={curve.formula} role="alert" className="text-xs text-missed">
                      {curve.formula}: {curve.problem}
                    </p>
                  ))}
                  {toldOfTones(strip).map((curve) => (
                    <p key={curve.formula} role="status" className="text-xs text-close">
                      {curve.formula}: {curve.tones_said}
                    </p>
                  ))}
                </div>
                <CurveControls strip={strip} offered={questions} {...moves} />
              </>
            )}
          </Stack>
        )}
      </div>
      {run && found.data && (
        <>
          <SpanRuler
            axis={FREQUENCY}
            view={view}
            width={size.width}
            span={span}
            features={features}
            onSpan={setSpan}
          />
          <CurveTable spans={spans.data ?? []} colour={colour} />
        </>
      )}
    </section>
  );
}

interface StripProps {
  strip: StripLook;
  curves: DrawnCurve[];
  half?: number;
  masks: Mask[];
  view: View;
  span: View;
  size: Size;
  onView: (view: View) => void;
  onFull: () => void;
  onSpan: (span: View) => void;
  /** Where what is drawn is kept, so that it can be saved as a picture too. */
  drawn: RefObject<Map<number, Drawn>>;
  place: number;
}

/** One strip of curves: over frequency, or in the complex plane. */
function CurveStrip({ strip, curves, half, masks, view, span, size, drawn, place, ...moves }: StripProps) {
  const look = lookOf(strip);
  const plane = look.side === "plane";
  const draw: Draw = (pen) =>
    plane
      ? drawComplexPlane(pen, size, curves)
      : drawCurves(pen, size, { curves, view, span, look, scale: strip.left ?? {}, half, masks });
  useEffect(() => {
    const all = drawn.current;
    all.set(place, { size, draw });
    return () => void all.delete(place);
  });
  const names = signalsOf(strip);
  if (plane)
    return (
      <Plot className="block" size={size} draw={draw} label={`${names.join(", ")} in the complex plane`} />
    );
  return <Strip signals={names} draw={draw} view={view} size={size} {...moves} />;
}
