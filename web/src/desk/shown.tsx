import { useEffect, useMemo, type RefObject } from "react";

import { isOver, nameOf, type Run, type Strip as StripLook } from "../api/client";
import {
  useAgainst,
  useRows,
  useRowsAt,
  useSpectra,
  type Answers,
  type LineSpectrum,
  type Plane,
} from "../api/traces";
import { drawCourse } from "../plot/draw";
import { LEFT, traceColour, type Size, type Trace, type View } from "../plot/frame";
import { drawLines, type Lines } from "../plot/lines";
import type { Draw } from "../plot/pen";
import { drawPlane, type Curve } from "../plot/plane";
import { Plot } from "../plot/plot";
import type { Drawn } from "../plot/save";
import { Strip } from "../plot/strip";
import { measured, show, symbol, type Unit } from "../ui/quantity";

interface Props {
  look: StripLook;
  run?: Run;
  /** Runs that stand behind. */
  behind: Run[];
  traces: Trace[];
  view: View;
  span?: View;
  size: Size;
  onView: (view: View) => void;
  onFull: () => void;
  onSpan: (span: View) => void;
  /** Where what is drawn is kept, so that it can be saved as a picture too. */
  drawn: RefObject<Map<number, Drawn>>;
  place: number;
}

/** A strip as its looks say: over time, over frequency, against a signal, in figures. */
export function ShownStrip(props: Props) {
  const shows = props.look.shows ?? "course";
  if (shows === "table") return <RowsStrip {...props} />;
  if (shows === "course") return <CourseStrip {...props} />;
  if ("spectrum" in shows) return <SpectrumStrip {...props} spectrum={shows.spectrum} />;
  if ("against" in shows) return <PlaneStrip {...props} x={shows.against.x} />;
  return <Problems found={["Curves over frequency are found by a frequency study; show these over time."]} />;
}

function useDrawn({ drawn, place, size }: Props, draw: Draw) {
  useEffect(() => {
    const all = drawn.current;
    all.set(place, { size, draw });
    return () => void all.delete(place);
  }, [drawn, place, size, draw]);
}

function CourseStrip(props: Props) {
  const { look, traces, view, span, size } = props;
  const draw = useMemo<Draw>(
    () => (pen) =>
      drawCourse(pen, size, { traces, view, span, looks: { left: look.left, right: look.right } }),
    [traces, view, span, size, look.left, look.right],
  );
  useDrawn(props, draw);
  return (
    <>
      <Strip
        signals={traces.map((t) => t.signal)}
        draw={draw}
        view={view}
        size={size}
        onView={props.onView}
        onFull={props.onFull}
        onSpan={props.onSpan}
      />
      <Problems
        found={traces.flatMap(({ signal, points }) =>
          points?.problem ? [`${signal} cannot be drawn: ${points.problem}`] : [],
        )}
      />
    </>
  );
}

/** What keeps traces from being shown, over the plot. */
function Problems({ found }: { found: string[] }) {
  return (
    <div className="absolute bottom-1" style={{ left: LEFT + 8 }}>
      {found.map((text) => (
        <p key={text} role="alert" className="text-xs text-missed">
          {text}
        </p>
      ))}
    </div>
  );
}

/** Answers about each trace that can be drawn, of the run itself and then of those behind, and what is said of the others.
 * All stand on one scale, so that what is in another unit than the first has no place there. */
function parted<T extends object, D extends { unit: Unit }>(
  traces: Trace[],
  [own, ...behind]: (Answers<T> | undefined)[],
  made: (trace: Trace, of: T, behind?: number) => D,
) {
  const there: D[] = [];
  const problems: string[] = [];
  for (const trace of traces) {
    const of = own?.get(trace.signal);
    if (of === undefined) continue;
    if (typeof of === "string") {
      problems.push(`${trace.signal}: ${of}`);
      continue;
    }
    const drawn = made(trace, of);
    const unit = there[0]?.unit ?? drawn.unit;
    if (drawn.unit === unit) there.push(drawn);
    else
      problems.push(
        `${trace.signal} is in ${symbol(drawn.unit) || "no unit"}, not in ${symbol(unit) || "none"}; give it a strip of its own.`,
      );
  }
  // What cannot be said of a run behind is not missed here; its own strips say why.
  behind.forEach((answers, nth) => {
    for (const trace of traces) {
      const of = answers?.get(trace.signal);
      if (of === undefined || typeof of === "string") continue;
      const drawn = made(trace, of, nth);
      if (drawn.unit === there[0]?.unit) there.push(drawn);
    }
  });
  return { there, problems };
}

const withBehind = (run: Run | undefined, behind: Run[]) => (run ? [run, ...behind] : []);

/** Why there is nothing to look at yet, if there is not. */
function missing(run: Run | undefined, span: View | undefined): string[] | undefined {
  if (run && !isOver(run)) return ["Looked at once the run has ended."];
  return span ? undefined : [WITHOUT_SPAN];
}

const WITHOUT_SPAN = "Set a span with the ruler beneath; what lies in it is looked at here.";

const lines = ({ signal, colour }: Trace, of: LineSpectrum, behind?: number): Lines => ({
  ...of,
  signal,
  colour,
  fundamental: of.fundamental ?? undefined,
  behind,
});

function SpectrumStrip({
  spectrum,
  ...props
}: Props & { spectrum: Extract<NonNullable<StripLook["shows"]>, { spectrum: unknown }>["spectrum"] }) {
  const { run, behind, traces, span, size } = props;
  const signals = useMemo(() => traces.map((t) => t.signal), [traces]);
  const found = useSpectra(withBehind(run, behind), signals, span, spectrum);
  const { there, problems } = useMemo(() => parted(traces, found, lines), [traces, found]);
  const draw = useMemo<Draw>(
    () => (pen) => drawLines(pen, size, there, spectrum.decibels ?? false, spectrum.up_to ?? undefined),
    [size, there, spectrum],
  );
  useDrawn(props, draw);
  return (
    <>
      <Plot
        className="block"
        size={size}
        draw={draw}
        label={`Spectrum of ${signals.join(", ")} over the span`}
      />
      <Problems found={missing(run, span) ?? problems} />
    </>
  );
}

const curve = ({ signal, colour }: Trace, of: Plane, behind?: number): Curve => ({
  signal,
  colour,
  xUnit: of.x_unit,
  unit: of.y_unit,
  x: of.x,
  y: of.y,
  behind,
});

function PlaneStrip({ x, ...props }: Props & { x: string }) {
  const { run, behind, traces, span, size } = props;
  const signals = useMemo(() => traces.map((t) => t.signal), [traces]);
  const found = useAgainst(withBehind(run, behind), signals, span, x);
  const { there, problems } = useMemo(() => parted(traces, found, curve), [traces, found]);
  const draw = useMemo<Draw>(() => (pen) => drawPlane(pen, size, x, there), [size, x, there]);
  useDrawn(props, draw);
  return (
    <>
      <Plot
        className="block"
        size={size}
        draw={draw}
        label={`${signals.join(", ")} against ${x} over the span`}
      />
      <Problems found={missing(run, span) ?? problems} />
    </>
  );
}

/** Rows of a table at most. */
const ROWS = 200;
const NO_TIMES: number[] = [];

function RowsStrip({ run, behind, traces, view, size }: Props) {
  const signals = useMemo(() => traces.map((t) => t.signal), [traces]);
  const rows = useRows(run, signals, view, ROWS);
  const { times = NO_TIMES, columns: own = [] } = rows.data ?? {};
  const others = useRowsAt(behind, signals, times);
  // A signal's values in the runs behind stand beside its own, as far as they are of the same instants.
  const columns = own.flatMap((column, k) => {
    const colour = `var(${traceColour(traces[k]?.colour ?? 0)})`;
    const compared = others.flatMap((other, nth) => {
      const found = other?.columns.find((c) => c.signal === column.signal);
      const fits = found && found.values.length === times.length;
      return fits ? [{ ...found, colour, of: behind[nth] && nameOf(behind[nth]) }] : [];
    });
    return [{ ...column, colour, of: undefined }, ...compared];
  });
  // As many digits as tell one row from the next, deep in a run too.
  const step = times
    .slice(1)
    .reduce((least, t, k) => Math.min(least, t - (times[k] ?? t) || least), Infinity);
  const digits = Math.min(12, Math.max(5, Math.ceil(Math.log10(Math.abs(times.at(-1) ?? 1) / step)) + 1));
  return (
    <div
      className="overflow-auto px-3"
      style={{ height: size.height }}
      tabIndex={0}
      role="group"
      aria-label="Traces in figures"
    >
      {rows.error && (
        <p role="alert" className="text-xs text-missed">
          {rows.error.message}
        </p>
      )}
      {rows.data && (
        <table className="text-xs" aria-label={`${signals.join(", ")} in figures`}>
          <caption className="text-left text-muted">
            {rows.data.every_node
              ? "Every instant the engine computed in what is shown."
              : `${times.length} instants, evenly spaced, of what is shown; zoom in to see every one computed.`}
          </caption>
          <thead className="sticky top-0 bg-ground text-right text-muted">
            <tr>
              <th className="pr-4 align-bottom font-normal">time</th>
              {columns.map(({ signal, colour, of }, k) => (
                <th
                  key={k}
                  className={of ? "px-4 font-normal" : "px-4 align-bottom font-semibold"}
                  style={{ color: colour }}
                >
                  {signal}
                  {of && <span className="block text-muted">{of}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody className="figures text-right">
            {times.map((t, row) => (
              <tr key={row} className="border-t border-hairline">
                <td className="pr-4 whitespace-nowrap">{show(t, "second", digits)}</td>
                {columns.map(({ values, unit, of }, k) => (
                  <td key={k} className={of ? "px-4 whitespace-nowrap text-muted" : "px-4 whitespace-nowrap"}>
                    {measured(values[row], unit, 6)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
