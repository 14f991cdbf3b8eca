import { useQueries, useQuery } from "@tanstack/react-query";
import { tableFromIPC } from "apache-arrow";

import {
  api,
  has,
  isOver,
  problemOf,
  taken,
  type Harmonics,
  type Measure,
  type Run,
  type SpanMeasures,
  type Unit,
} from "./client";
import type { components } from "./schema";

type Schemas = components["schemas"];

/** What was shown stays until there is something new; of a run that has ended with nothing, nothing of the one before does. */
function stays(run: Run | undefined) {
  if (run && isOver(run) && run.node_count === 0) return undefined;
  return <T>(previous: T | undefined) => previous;
}

export interface Points {
  t: Float64Array;
  y: Float64Array;
  /** Whether the engine computed the instant. */
  node?: ArrayLike<boolean | null>;
  unit?: Unit;
  /** Why there is nothing to draw. */
  problem?: string;
}

const NOTHING = new Float64Array();

/** Windows of traces, thinned by the server to what a plot of this width can show. */
function traceQuery(run: Run | undefined, signals: string[], from: number, to: number, width: number) {
  const id = run?.id;
  return {
    queryKey: ["trace", id, signals, from, to, width, run?.node_count],
    enabled: id !== undefined && (run?.node_count ?? 0) > 0 && width > 0 && to > from,
    placeholderData: stays(run),
    queryFn: async ({ signal: given_up }: { signal: AbortSignal }) => {
      const answer = await api.POST("/api/runs/{run}/traces", {
        params: { path: { run: id ?? "" } },
        body: { signals, from, to, width },
        parseAs: "arrayBuffer",
        signal: given_up,
      });
      if (answer.data === undefined) throw new Error(problemOf(answer.error));
      const table = tableFromIPC(new Uint8Array(taken<ArrayBuffer>(answer)));
      const told = <T>(name: string) => JSON.parse(table.schema.metadata.get(name) ?? "[]") as (T | null)[];
      const [units, problems, rows] = [told<Unit>("units"), told<string>("problems"), told<number>("rows")];
      // One batch for each signal; whether empty ones are kept is up to the library.
      const filled = table.batches.filter((batch) => batch.numRows > 0);
      const points = (k: number): Points => {
        const batch = rows[k] ? filled[rows.slice(0, k).filter(Boolean).length] : undefined;
        const column = (name: string) => (batch?.getChild(name)?.toArray() ?? NOTHING) as Float64Array;
        const node = batch?.getChild("node")?.toArray() as ArrayLike<boolean | null> | undefined;
        const problem = problems[k] ?? undefined;
        return { t: column("t"), y: column("y"), node, unit: units[k] ?? undefined, problem };
      };
      return new Map(signals.map((signal, k) => [signal, points(k)]));
    },
  };
}

export function useTraces(run: Run | undefined, signals: string[], from: number, to: number, width: number) {
  return useQuery<Map<string, Points>>(traceQuery(run, signals, from, to, width));
}

/** The same of several runs, each with the signals it has. */
export function useTracesOf(runs: Run[], signals: string[], from: number, to: number, width: number) {
  return useQueries({
    queries: runs.map((run) =>
      traceQuery(
        run,
        signals.filter((signal) => has(run, signal)),
        from,
        to,
        width,
      ),
    ),
    combine: drawnOf,
  });
}

const drawnOf = (results: { data?: Map<string, Points> }[]) => results.map((result) => result.data);

type Span = { from: number; to: number };

/** Whether a run has ended and recorded something, so that it can be looked at as a whole. */
function isThere(run: Run | undefined): run is Run {
  return run !== undefined && run.node_count > 0 && isOver(run);
}

export type LineSpectrum = Schemas["LineSpectrum"];
type SpectrumLook = Schemas["SpectrumLook"];

/** Of each signal what was asked for, or why there is none. */
export type Answers<T> = Map<string, T | string>;

/** Line spectra of a span, of each run. */
export function useSpectra(runs: Run[], signals: string[], span: Span | undefined, look: SpectrumLook) {
  return useEach<LineSpectrum>(runs, "spectrum", signals, span, look, (id, signal, at) =>
    api.POST("/api/runs/{run}/spectrum", {
      params: { path: { run: id } },
      body: { signal, ...at, taper: look.taper ?? "none", up_to: look.up_to ?? null },
    }),
  );
}

export type Plane = Schemas["Plane"];

/** Signals against another over a span, of each run. */
export function useAgainst(runs: Run[], signals: string[], span: Span | undefined, x: string) {
  return useEach<Plane>(runs, "against", signals, span, x, (id, y, at) =>
    api.POST("/api/runs/{run}/against", { params: { path: { run: id } }, body: { x, y, ...at } }),
  );
}

/** One answer per signal over a span of each run that has ended; none yet where it has not come. */
function useEach<T>(
  runs: Run[],
  what: string,
  signals: string[],
  span: Span | undefined,
  how: unknown,
  ask: (run: string, signal: string, span: Span) => Promise<{ data?: unknown; error?: unknown }>,
): (Answers<T> | undefined)[] {
  return useQueries({
    queries: runs.map((run) => ({
      queryKey: [what, run.id, signals, span, how],
      enabled: isThere(run) && span !== undefined && signals.length > 0,
      placeholderData: stays(run),
      queryFn: async () => {
        const one = async (signal: string): Promise<[string, T | string]> => {
          const answer = await ask(run.id, signal, span ?? { from: 0, to: 0 });
          return [signal, answer.data === undefined ? problemOf(answer.error) : (answer.data as T)];
        };
        const there = signals.filter((signal) => has(run, signal));
        return new Map(await Promise.all(there.map(one)));
      },
    })),
    combine: answersOf<T>,
  });
}

const answersOf = <T>(results: { data?: Answers<T> }[]) => results.map((result) => result.data);

export type Rows = Schemas["Rows"];

/** Traces in figures: every instant computed if there are few enough, evenly spaced ones otherwise. */
export function useRows(run: Run | undefined, signals: string[], view: Span, most: number) {
  return useQuery({
    ...rowsQuery(run, signals, { ...view, most }),
    placeholderData: stays(run),
  });
}

/** The same of other runs at the instants of those figures, each with the signals it has. */
export function useRowsAt(runs: Run[], signals: string[], instants: number[]) {
  const span = { from: instants[0] ?? 0, to: instants.at(-1) ?? 0 };
  return useQueries({
    queries: runs.map((run) => {
      const there = signals.filter((signal) => has(run, signal));
      return rowsQuery(run, there, { ...span, most: instants.length, instants }, instants.length > 1);
    }),
    combine: rowsOf,
  });
}

const rowsOf = (results: { data?: Rows }[]) => results.map((result) => result.data);

function rowsQuery(
  run: Run | undefined,
  signals: string[],
  asked: Span & { most: number; instants?: number[] },
  wanted = true,
) {
  return {
    queryKey: ["rows", run?.id, signals, asked, run?.node_count],
    enabled: wanted && run !== undefined && run.node_count > 0 && signals.length > 0,
    retry: false as const,
    queryFn: async () =>
      taken<Rows>(
        await api.POST("/api/runs/{run}/rows", {
          params: { path: { run: run?.id ?? "" } },
          body: { signals, ...asked, instants: asked.instants ?? null },
        }),
      ),
  };
}

/** The next time a trace passes through a level, nothing if there is none; or what is wrong, in words. */
export async function findCrossing(run: Run, body: Schemas["CrossingOf"]): Promise<number | null | string> {
  const answer = await api.POST("/api/runs/{run}/crossing", { params: { path: { run: run.id } }, body });
  return answer.data === undefined ? problemOf(answer.error) : (answer.data.time ?? null);
}

/** What is wrong with a signal or a formula of signals, as a run has them; none if nothing is. */
export async function signalProblem(run: Run, signal: string): Promise<string | undefined> {
  const [from, to] = run.recorded ?? [0, 0];
  const query = { signal, from, to, width: 1 };
  const answer = await api.GET("/api/runs/{run}/trace", {
    params: { path: { run: run.id }, query },
    parseAs: "arrayBuffer",
  });
  return answer.data === undefined ? problemOf(answer.error) : undefined;
}

/** Harmonics of a signal at the end of a run. */
export function useHarmonics(run: Run | undefined, asked: Schemas["HarmonicsOf"]) {
  const id = run?.id ?? "";
  return useQuery({
    queryKey: ["harmonics", id, run?.state, asked],
    enabled: (run?.node_count ?? 0) > 0 && run !== undefined && isOver(run) && asked.signal !== "",
    retry: false,
    placeholderData: stays(run),
    queryFn: async () =>
      taken<Harmonics>(
        await api.POST("/api/runs/{run}/harmonics", { params: { path: { run: id } }, body: asked }),
      ),
  });
}

/** Which traces, of which stretch, in which format. */
export type Stretch = Schemas["Stretch"];

/** Traces as a file in an open format; or why there is none, in words. */
export async function tableOfTraces(run: Run, body: Stretch): Promise<Blob | string> {
  const answer = await api.POST("/api/runs/{run}/table", {
    params: { path: { run: run.id } },
    body,
    parseAs: "blob",
  });
  return answer.data === undefined ? problemOf(answer.error) : (answer.data as unknown as Blob);
}

const NO_FORMULAS: string[] = [];

export function useMeasures(
  run: Run | undefined,
  signals: string[],
  from: number,
  to: number,
  more: Measure["id"][],
  formulas: string[] = NO_FORMULAS,
  wanted = true,
) {
  const id = run?.id ?? "";
  return useQuery({
    queryKey: ["measure", id, signals, from, to, more, formulas, run?.state],
    enabled: wanted && id !== "" && (run?.node_count ?? 0) > 0 && signals.length > 0 && to > from,
    placeholderData: stays(run),
    queryFn: async () =>
      taken<SpanMeasures[]>(
        await api.POST("/api/runs/{run}/measure", {
          params: { path: { run: id } },
          body: { signals, from, to, more, formulas },
        }),
      ),
  });
}
