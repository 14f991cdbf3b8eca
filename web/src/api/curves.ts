import { useQueries, useQuery } from "@tanstack/react-query";

import { api, isOver, problemOf, taken, type Run } from "./client";
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Curves = Schemas["CurvesShown"];
export type Curve = Schemas["CurveShown"];
export type Mask = Schemas["MaskShown"];
export type CurveSpan = Schemas["CurveSpanShown"];

/** The masks that come with them are those of the supply's revision. */
function curvesQuery(run: Run | undefined, formulas: string[], revision: number) {
  return {
    queryKey: ["curves", run?.id, run?.state, formulas, revision],
    enabled: run !== undefined && isOver(run) && run.outcome != null,
    placeholderData: <T>(previous: T | undefined) => previous,
    retry: false as const,
    queryFn: async () =>
      taken<Curves>(
        await api.POST("/api/runs/{run}/curves", {
          params: { path: { run: run?.id ?? "" } },
          body: { formulas },
        }),
      ),
  };
}

/** Curves over frequency of a run that has ended, by name or by formula. */
export function useCurves(run: Run | undefined, formulas: string[], revision: number) {
  return useQuery(curvesQuery(run, formulas, revision));
}

/** The same of several runs. */
export function useCurvesOf(runs: Run[], formulas: string[], revision: number) {
  return useQueries({ queries: runs.map((run) => curvesQuery(run, formulas, revision)), combine: found });
}

const found = (results: { data?: Curves }[]) => results.map((result) => result.data);

/** What curves are at two frequencies, Hz, and between them. */
export function useCurveSpan(run: Run | undefined, formulas: string[], from: number, to: number) {
  return useQuery({
    queryKey: ["curve-span", run?.id, run?.state, formulas, from, to],
    enabled:
      run !== undefined && isOver(run) && run.outcome != null && formulas.length > 0 && to > from && from > 0,
    placeholderData: (previous: CurveSpan[] | undefined) => previous,
    retry: false,
    queryFn: async () =>
      taken<CurveSpan[]>(
        await api.POST("/api/runs/{run}/curve-span", {
          params: { path: { run: run?.id ?? "" } },
          body: { formulas, from, to },
        }),
      ),
  });
}

/** Curves as a file in an open format; or what is wrong, in words. */
export async function fileOfCurves(run: Run, body: Schemas["CurveFile"]): Promise<Blob | string> {
  const answer = await api.POST("/api/runs/{run}/curve-file", {
    params: { path: { run: run.id } },
    body,
    parseAs: "blob",
  });
  return answer.data === undefined ? problemOf(answer.error) : (answer.data as unknown as Blob);
}
