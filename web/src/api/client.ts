import {
  useInfiniteQuery,
  useMutation,
  useQueries,
  useQuery,
  useQueryClient,
  type InfiniteData,
  type QueryClient,
} from "@tanstack/react-query";
import createClient from "openapi-fetch";
import { useEffect, useMemo } from "react";

import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Supply = Schemas["Supply"];
export type SupplyListed = Schemas["SupplyListed"];
export type SupplyShown = Schemas["SupplyShown"];
export type Conflict = Schemas["Conflict"];
export type Run = Schemas["RunShown"];
export type Outcome = Schemas["Outcome"];
export type PartKind = Schemas["PartKind"];
export type Parameter = Schemas["Parameter"];
export type Finding = Schemas["Finding"];
export type SpanMeasures = Schemas["SpanMeasures"];
export type Measure = Schemas["MeasureShown"];
export type Harmonics = Schemas["Harmonics"];
export type EntryMeaning = Schemas["EntryMeaning"];
export type Unit = Schemas["Unit"];
export type Form = Schemas["StageForm"];
export type Edit = Schemas["PathEdit"];
export type Proposal = Schemas["Proposal"];
export type Entry = Schemas["CatalogueEntry"];
export type EntryListed = Schemas["EntryListed"];
export type CatalogueSearch = Schemas["CatalogueSearch"];
export type Joining = Schemas["Joining"];
export type Revision = Schemas["RevisionListed"];
export type Study = NonNullable<Supply["studies"]>[number];
export type StudyKind = Schemas["StudyKind"];
export type StudyOffers = Schemas["StudyOffers"];
export type Strip = Schemas["Strip"];
export type StripTrace = Schemas["Trace"];
export type Stage = NonNullable<Supply["stages"]>[number];

export const api = createClient<paths>();

/** What the server says went wrong. */
export class Refused extends Error {
  findings: Finding[];
  constructor(problem: unknown) {
    const { message, findings } = (problem ?? {}) as Partial<Schemas["Problem"]>;
    super(message ?? "the server did not answer; check that it is running, then try again");
    this.findings = findings ?? [];
  }
}

/** The answer, or what went wrong as an error. */
export function taken<T>(answer: { data?: unknown; error?: unknown }): T {
  if (answer.data === undefined) throw new Refused(answer.error);
  // The client library widens the tuples of the generated types to arrays.
  return answer.data as T;
}

/** What of the library is looked at. */
export interface LibraryLook {
  search: string;
  order: "changed" | "title" | "begun";
}

/** Supplies asked for at once. */
const PAGE = 48;

/** The library, page by page. */
export function useSupplies(look: LibraryLook) {
  return useInfiniteQuery({
    queryKey: ["supplies", look],
    initialPageParam: 0,
    placeholderData: (previous: InfiniteData<SupplyListed[]> | undefined) => previous,
    queryFn: async ({ pageParam }) => {
      const query = { ...look, skip: pageParam as number, most: PAGE };
      return taken<SupplyListed[]>(await api.GET("/api/supplies", { params: { query } }));
    },
    getNextPageParam: (last: SupplyListed[], all) => (last.length < PAGE ? undefined : PAGE * all.length),
  });
}

/** Sorts a supply under tags. */
export function useTagSupply() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ supply, tags }: { supply: string; tags: string[] }) => {
      const { error } = await api.PUT("/api/supplies/{supply}/tags", {
        params: { path: { supply } },
        body: { tags },
      });
      if (error) throw new Refused(error);
    },
    onSuccess: () => void client.invalidateQueries({ queryKey: ["supplies"] }),
  });
}

export function usePartKinds() {
  return useQuery({
    queryKey: ["part-kinds"],
    staleTime: Infinity,
    queryFn: async () => taken<PartKind[]>(await api.GET("/api/part-kinds")),
  });
}

/** What a reading can measure. */
export function useMeasureTable(): Measure[] {
  const table = useQuery({
    queryKey: ["measures"],
    staleTime: Infinity,
    queryFn: async () => taken<Measure[]>(await api.GET("/api/measures")),
  });
  return table.data ?? NO_MEASURES;
}

const NO_MEASURES: Measure[] = [];

/** What revisions seen here read and require, as text: a run of one that says the same needs no second judgement. */
const judgedBy = new Map<string, string>();

/** Whether a revision reads and requires the same as the one shown; unknown where it was not seen here. What is not stored yet is no
 * revision's. */
function judgesAlike(
  revision: number,
  { id, document, revision: now }: SupplyShown,
  stored: boolean,
): boolean {
  const { readings, requirements, values, derating } = document;
  const rated = readings?.some((r) => r.measure === "rating_use") && document.parts?.map((p) => p.ratings);
  const text = JSON.stringify([readings, requirements, values, rated && [rated, derating]]);
  if (stored) judgedBy.set(`${id} ${now}`, text);
  return (stored && revision === now) || judgedBy.get(`${id} ${revision}`) === text;
}

/** Whether some formula uses what is read in another study, so that a run's numbers hang on those of others. */
function readsAcross({ document }: SupplyShown): boolean {
  const readings = document.readings ?? [];
  return readings.some((reading) => {
    const names = new Set(reading.formula?.match(/[A-Za-z]\w*/g));
    return readings.some((other) => other.study !== reading.study && names.has(other.id));
  });
}

/** Whether a run left something that is read again: a recording, or curves. */
const isJudgeable = (run: Run) => run.node_count > 0 || run.over_frequency;

/** The ended runs a run's numbers may hang on; none if no formula reaches across studies. */
function besideOf(shown: SupplyShown, all: Run[] | undefined): string[] {
  return readsAcross(shown) ? (all ?? []).filter(isOver).map((run) => run.id) : [];
}

/** A run as its supply reads and judges it now; what it gave at its end as long as nothing else is read. `all` are the
 * supply's runs, some of which formulas may use. */
export function useJudged(
  run: Run | undefined,
  shown: SupplyShown,
  all: Run[] | undefined,
  stored: boolean,
): Run | undefined {
  const beside = useMemo(() => besideOf(shown, all), [shown, all]);
  const same = useMemo(() => judgesAlike(run?.revision ?? 0, shown, stored), [run?.revision, shown, stored]);
  const alike = same && beside.length === 0;
  const asks = run && isOver(run) && run.outcome && isJudgeable(run) && !alike;
  const judged = useQuery({
    queryKey: ["judged", run?.id, shown.revision, beside],
    // What waits for the server is judged by once it is there.
    enabled: Boolean(asks) && stored && !shown.findings.some((f) => f.severity === "error"),
    staleTime: Infinity,
    // Only of the same run: another's numbers would be wrong, if only for a moment.
    placeholderData: (previous: Schemas["Judged"] | undefined, query) =>
      query?.queryKey[1] === run?.id ? previous : undefined,
    queryFn: async () =>
      taken<Schemas["Judged"]>(
        await api.GET("/api/runs/{run}/judged", { params: { path: { run: run?.id ?? "" } } }),
      ),
  });
  const found = judged.data;
  return useMemo(
    () => (asks && found && run?.outcome ? { ...run, outcome: { ...run.outcome, ...found } } : run),
    [asks, found, run],
  );
}

/** Runs as their supply reads and judges them now, in their order. */
export function useJudgedRuns(runs: Run[], shown: SupplyShown, all: Run[] | undefined): Run[] {
  const beside = besideOf(shown, all);
  const blocked = shown.findings.some((f) => f.severity === "error");
  const found = useQueries({
    queries: runs.map((run) => ({
      queryKey: ["judged", run.id, shown.revision, beside],
      enabled: !blocked && isJudgeable(run) && run.outcome != null,
      staleTime: Infinity,
      queryFn: async () =>
        taken<Schemas["Judged"]>(
          await api.GET("/api/runs/{run}/judged", { params: { path: { run: run.id } } }),
        ),
    })),
  });
  return runs.map((run, k) => {
    const judged = found[k]?.data;
    return judged && run.outcome ? { ...run, outcome: { ...run.outcome, ...judged } } : run;
  });
}

/** What is different in a run's circuit from another's, in words. */
export function useChangesSince(run: string | undefined, since: string | undefined) {
  return useQuery({
    queryKey: ["changes", run, since],
    enabled: run !== undefined && since !== undefined && run !== since,
    staleTime: Infinity,
    queryFn: async () =>
      taken<string[]>(
        await api.GET("/api/runs/{run}/changes", {
          params: { path: { run: run ?? "" }, query: { since: since ?? "" } },
        }),
      ),
  });
}

function newer(before: SupplyShown | undefined, now: SupplyShown): SupplyShown {
  return before && before.revision >= now.revision ? before : now;
}

export function useSupply(supply: string) {
  return useQuery({
    queryKey: ["supply", supply],
    // What was on its way while a change was stored is of before it.
    structuralSharing: (before, now) => newer(before as SupplyShown | undefined, now as SupplyShown),
    queryFn: async () =>
      taken<SupplyShown>(await api.GET("/api/supplies/{supply}", { params: { path: { supply } } })),
  });
}

export function useCreateSupply() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (document: Supply) =>
      taken<SupplyShown>(await api.POST("/api/supplies", { body: { document } })),
    onSuccess: (created) => {
      client.setQueryData(["supply", created.id], created);
      void client.invalidateQueries({ queryKey: ["supplies"] });
    },
  });
}

/** What becomes of two nets if they are made one. */
export async function askJoining(supply: string, from: string, to: string): Promise<Joining> {
  const params = { path: { supply } };
  return taken<Joining>(await api.POST("/api/supplies/{supply}/joining", { params, body: { from, to } }));
}

/** Why readings and limits cannot be added as they are; nothing if they can. */
export async function refusal(supply: string, body: Schemas["WouldBe"]): Promise<string | undefined> {
  const answer = await api.POST("/api/supplies/{supply}/would-be", { params: { path: { supply } }, body });
  if (answer.data === undefined) return problemOf(answer.error);
  const [first] = answer.data;
  return first && `${first.message}. ${first.remedy}.`;
}

/** What is understood of a phrase of the add line. */
export function useLine(supply: string, text: string) {
  return useQuery({
    queryKey: ["line", supply, text],
    placeholderData: (previous: Schemas["LineReading"] | undefined) => previous,
    queryFn: async () =>
      taken<Schemas["LineReading"]>(
        await api.POST("/api/supplies/{supply}/line", { params: { path: { supply } }, body: { text } }),
      ),
  });
}

export function useCatalogue(search: CatalogueSearch) {
  return useQuery({
    queryKey: ["catalogue", search],
    placeholderData: (previous: EntryListed[] | undefined) => previous,
    retry: false,
    queryFn: async () => taken<EntryListed[]>(await api.POST("/api/catalogue", { body: search })),
  });
}

/** Keeps a part of one's own in the catalogue. */
export function useKeepPart() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (entry: Entry) => taken<EntryListed>(await api.POST("/api/own-parts", { body: entry })),
    onSuccess: () => void client.invalidateQueries({ queryKey: ["catalogue"] }),
  });
}

export function useDropPart() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (part: string) => {
      const { error } = await api.DELETE("/api/own-parts/{part}", { params: { path: { part } } });
      if (error) throw new Refused(error);
    },
    onSuccess: () => void client.invalidateQueries({ queryKey: ["catalogue"] }),
  });
}

export function useMaterials(supply: SupplyShown) {
  return useQuery({
    queryKey: ["materials", supply.id, supply.revision],
    queryFn: async () =>
      taken<Schemas["BomRow"][]>(
        await api.GET("/api/supplies/{supply}/materials", { params: { path: { supply: supply.id } } }),
      ),
  });
}

/** Where a supply rests, with the drawing that shows it; followed from revision to revision. */
export function useResting(supply: SupplyShown, wanted: boolean) {
  return useQuery({
    queryKey: ["resting", supply.id, supply.revision],
    enabled: wanted,
    retry: false,
    // The figures before stay until the new ones are there.
    placeholderData: (previous: Schemas["RestingShown"] | undefined, query) =>
      query?.queryKey[1] === supply.id ? previous : undefined,
    queryFn: async () =>
      taken<Schemas["RestingShown"]>(
        await api.GET("/api/supplies/{supply}/operating-point", { params: { path: { supply: supply.id } } }),
      ),
  });
}

export type StressShown = Schemas["StressShown"];

/** What parts bear in the runs of studies that are up to date; of all studies if none are named. */
export function useStress(supply: SupplyShown, runs: Run[] | undefined, studies?: string[]) {
  const done = runs?.filter((r) => r.state === "done" && judges(r)).map((r) => r.id);
  return useQuery({
    queryKey: ["stress", supply.id, supply.revision, studies, done],
    enabled: runs !== undefined && (studies === undefined || studies.length > 0),
    retry: false,
    staleTime: Infinity,
    placeholderData: (previous: StressShown | undefined, query) =>
      query?.queryKey[1] === supply.id ? previous : undefined,
    queryFn: async () =>
      taken<StressShown>(
        await api.GET("/api/supplies/{supply}/stress", {
          params: { path: { supply: supply.id }, query: { studies: studies?.join(",") } },
        }),
      ),
  });
}

export type OpinionShown = Schemas["OpinionShown"];

/** Milliseconds after which a second opinion on its way is looked at again. */
const LOOK_AGAIN = 400;

/** The newest second opinion on a run, as it comes; null if none was asked. */
export function useOpinion(run: Run) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["opinion", run.id],
    refetchInterval: (query) => {
      const now = query.state.data?.run;
      return now && !isOver(now) ? LOOK_AGAIN : false;
    },
    queryFn: async () => {
      const path = { run: run.id };
      const found = taken<OpinionShown | null>(
        await api.GET("/api/runs/{run}/second-opinion", { params: { path } }),
      );
      // It stands in the list of runs as well.
      client.setQueryData<Run[]>(["runs", run.supply], (runs) =>
        runs?.map((r) => (r.id === found?.run.id ? found.run : r)),
      );
      return found;
    },
  });
}

/** Asks a second opinion on a run. */
export function useAskOpinion(supply: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (run: string) =>
      taken<Run>(await api.POST("/api/runs/{run}/second-opinion", { params: { path: { run } } })),
    onSuccess: async (_, run) => {
      await client.invalidateQueries({ queryKey: ["opinion", run] });
      await client.invalidateQueries({ queryKey: ["runs", supply] });
    },
  });
}

/** Whether a supply is judged by a run: it was not measured, and is no second opinion on another. */
export const judges = (run: Run) => !run.measured && !run.second_opinion_on;

/** The drawing with what nets and parts have in a run: means, RMS, or values at an instant. */
export function useFigured(
  supply: SupplyShown,
  run: string | undefined,
  how: Schemas["FiguresOf"]["how"] | undefined,
  from: number | undefined,
  to: number | undefined,
) {
  return useQuery({
    queryKey: ["figured", supply.id, supply.revision, run, how, from, to],
    enabled: run !== undefined && how !== undefined,
    retry: false,
    placeholderData: (previous: Schemas["FiguredShown"] | undefined, query) =>
      query?.queryKey[1] === supply.id ? previous : undefined,
    queryFn: async () =>
      taken<Schemas["FiguredShown"]>(
        await api.POST("/api/runs/{run}/figures", {
          params: { path: { run: run ?? "" } },
          body: { how: how ?? "mean", from: from ?? null, to: to ?? null },
        }),
      ),
  });
}

export function useRevisions(supply: SupplyShown) {
  return useQuery({
    queryKey: ["revisions", supply.id, supply.revision],
    queryFn: async () =>
      taken<Revision[]>(
        await api.GET("/api/supplies/{supply}/revisions", { params: { path: { supply: supply.id } } }),
      ),
  });
}

export function useTemplates() {
  return useQuery({
    queryKey: ["templates"],
    staleTime: Infinity,
    queryFn: async () => taken<Schemas["Template"][]>(await api.GET("/api/templates")),
  });
}

export function useBeginFromTemplate() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (template: string) =>
      taken<SupplyShown>(await api.POST("/api/templates/{template}", { params: { path: { template } } })),
    onSuccess: (created) => {
      client.setQueryData(["supply", created.id], created);
      void client.invalidateQueries({ queryKey: ["supplies"] });
    },
  });
}

/** What the circuit suggests for a study, with reasons. */
export function useStudyOffers(supply: SupplyShown) {
  return useQuery({
    queryKey: ["study-defaults", supply.id, supply.revision],
    queryFn: async () =>
      taken<StudyOffers>(
        await api.GET("/api/supplies/{supply}/study-defaults", { params: { path: { supply: supply.id } } }),
      ),
  });
}

/** Readings that belong together, ready to be added. */
export function useReadyMade(supply: SupplyShown, study: string) {
  const found = useQuery({
    queryKey: ["ready-made", supply.id, supply.revision, study],
    enabled: study !== "",
    placeholderData: (previous: Schemas["ReadyMadeShown"][] | undefined) => previous,
    queryFn: async () =>
      taken<Schemas["ReadyMadeShown"][]>(
        await api.GET("/api/supplies/{supply}/ready-made", {
          params: { path: { supply: supply.id }, query: { study } },
        }),
      ),
  });
  return found.data ?? NONE_READY;
}

const NONE_READY: Schemas["ReadyMadeShown"][] = [];

export function useStageForms() {
  return useQuery({
    queryKey: ["stage-forms"],
    staleTime: Infinity,
    queryFn: async () => taken<Form[]>(await api.GET("/api/stage-forms")),
  });
}

/** How a stage is sized at a revision of its supply, with choices as stored or as typed. */
export function useSizing(supply: SupplyShown, stage: string, choices?: Record<string, string>) {
  return useQuery({
    queryKey: ["sizing", supply.id, supply.revision, stage, choices],
    placeholderData: (previous: Proposal | undefined) => previous,
    queryFn: async () =>
      taken<Proposal>(
        await api.POST("/api/supplies/{supply}/sizing", {
          params: { path: { supply: supply.id } },
          body: { stage, choices: choices ?? null },
        }),
      ),
  });
}

export function useRuns(supply: string) {
  return useQuery({
    queryKey: ["runs", supply],
    queryFn: async () =>
      taken<Run[]>(await api.GET("/api/supplies/{supply}/runs", { params: { path: { supply } } })),
  });
}

export function useStartRun(supply: string) {
  const onSuccess = useRunBegun(supply);
  return useMutation({
    mutationFn: async ({ study, tried = [] }: { study: string; tried?: Schemas["Tried"][] }) => {
      const [params, body] = [{ path: { supply } }, { study, tried }];
      return soonOver(taken<Run>(await api.POST("/api/supplies/{supply}/runs", { params, body })));
    },
    onSuccess,
  });
}

/** For how long to go on with a run, and how accurately. */
export type GoOnWish = Schemas["GoOn"];

/** Goes on from where a run ended. */
export function useGoOn(supply: string) {
  const onSuccess = useRunBegun(supply);
  return useMutation({
    mutationFn: async ({ run, wish }: { run: string; wish: GoOnWish }) =>
      soonOver(
        taken<Run>(await api.POST("/api/runs/{run}/go_on", { params: { path: { run } }, body: wish })),
      ),
    onSuccess,
  });
}

/** Puts a run that has begun on top of the runs of its supply. */
function useRunBegun(supply: string) {
  const client = useQueryClient();
  return (run: Run) => {
    client.setQueryData<Run[]>(["runs", supply], (runs) => [
      run,
      // A passing run is gone with the next of its study.
      ...(runs ?? []).filter((r) => r.id !== run.id && !(r.passing && r.study === run.study)),
    ]);
    if (isOver(run)) hasEnded(client, run);
  };
}

/** Time within which a run that ends is shown as ended at once, without progress flashing by, in ms. */
const BLINK = 150;

/** The run as it is when it has ended, or as it stands after a blink. */
function soonOver(run: Run): Promise<Run> {
  return new Promise((resolve) => {
    let latest = run;
    const events = listen(run.id, (news) => {
      latest = news;
      if (isOver(news)) finish();
    });
    const timer = setTimeout(finish, BLINK);
    function finish() {
      clearTimeout(timer);
      events.close();
      resolve(latest);
    }
  });
}

/** Hands over each piece of news of a run. */
function listen(run: string, onNews: (news: Run) => void): EventSource {
  const events = new EventSource(`/api/runs/${run}/events`);
  events.addEventListener("run", (event) => onNews(JSON.parse((event as MessageEvent<string>).data) as Run));
  return events;
}

/** What the library shows of runs is fetched anew. */
function forgetTallies(client: QueryClient) {
  for (const key of ["supplies", "room"]) void client.invalidateQueries({ queryKey: [key] });
}

/** What follows from a run's end: new tallies, and a run that was cut short is gone once another went on from it. */
function hasEnded(client: QueryClient, run: Run) {
  forgetTallies(client);
  if (run.goes_on_from) void client.invalidateQueries({ queryKey: ["runs", run.supply] });
}

export function useStopRun() {
  return useMutation({
    mutationFn: async (run: string) =>
      taken<Run>(await api.POST("/api/runs/{run}/stop", { params: { path: { run } } })),
  });
}

export function isOver(run: Run): boolean {
  return run.state === "done" || run.state === "stopped" || run.state === "failed";
}

/** Whether a finding says no more than that the power path is not at its end yet. */
export function isUnfinished(finding: Finding): boolean {
  return finding.rule === "path-unfinished";
}

/** Why a supply cannot be run, and what to do. */
export function whyBlocked(findings: Finding[]): string | undefined {
  const [first, ...others] = findings.filter((f) => f.severity === "error");
  if (!first) return undefined;
  return others.length === 0 && isUnfinished(first)
    ? `${first.message}. ${first.remedy}.`
    : "The checks found errors; see Checks below.";
}

/** Whether something that decides the run's numbers was changed after it. */
export function isOld(run: Run, shown: SupplyShown): boolean {
  return (
    !run.measured &&
    !run.passing &&
    run.revision !== shown.revision &&
    run.essence !== shown.essences[run.study]
  );
}

/** Keeps a run in the list of runs up to date while it goes on. */
export function useFollow(supply: string, run: Run | undefined) {
  const client = useQueryClient();
  const following = run && !isOver(run) ? run.id : undefined;
  useEffect(() => {
    if (!following) return;
    const events = listen(following, (news) => {
      client.setQueryData<Run[]>(["runs", supply], (runs) => runs?.map((r) => (r.id === news.id ? news : r)));
      if (isOver(news)) {
        events.close();
        hasEnded(client, news);
      }
    });
    return () => events.close();
  }, [client, following, supply]);
}

/** What the server says was wrong, from an answer whose body was read as bytes or as JSON. */
export function problemOf(error: unknown): string {
  if (typeof error === "object" && error !== null && "message" in error) return String(error.message);
  try {
    return String((JSON.parse(String(error)) as { message?: string }).message);
  } catch {
    return "the server did not answer";
  }
}

/** A supply as it stood when it ran; or what is wrong, in words. */
export async function documentOf(run: string): Promise<Supply | string> {
  const answer = await api.GET("/api/runs/{run}/document", { params: { path: { run } } });
  return answer.data === undefined ? problemOf(answer.error) : taken<Supply>(answer);
}

export type FileShown = Schemas["FileShown"];
export type Alignment = Schemas["Alignment"];

/** What is in a measured file; or why it cannot be read, in words. */
export async function lookAtMeasured(body: Schemas["MeasuredFile"]): Promise<FileShown | string> {
  const answer = await api.POST("/api/measured/look", { body });
  return answer.data === undefined ? problemOf(answer.error) : answer.data;
}

/** Puts a recording from the bench beside the runs of a supply. */
export function useAddMeasured(supply: string) {
  const onSuccess = useRunBegun(supply);
  return useMutation({
    mutationFn: async (body: Schemas["AddMeasured"]) =>
      taken<Run>(await api.POST("/api/supplies/{supply}/measured", { params: { path: { supply } }, body })),
    onSuccess,
  });
}

/** Whether a signal is in a run's recording; what was measured has but what it was measured at. */
export function has(run: Run, signal: string): boolean {
  return !run.measured || run.measured.channels.some((channel) => channel.signal === signal);
}

/** What a run is called in lists. */
export function nameOf(run: Run): string {
  if (run.measured) return `${run.measured.title}, measured`;
  const time = new Date(run.created_at).toLocaleTimeString();
  const opinion = run.second_opinion_on ? "second opinion" : "";
  return [`revision ${run.revision}`, time, opinion, run.note].filter(Boolean).join(", ");
}

type Neighbours = Record<"here" | "up" | "down", EntryMeaning>;

/** What a value is, and the preferred ones on either side of it, known before they are asked for. */
export function useNeighbours({ id: supply, revision }: SupplyShown, text: string, unit: Unit) {
  const found = useQuery({
    queryKey: ["neighbours", supply, revision, text, unit],
    staleTime: Infinity,
    // Another change beside it must not break a drag off.
    placeholderData: (previous: Neighbours | undefined, query) =>
      query?.queryKey[3] === text ? previous : undefined,
    queryFn: async () => {
      const [here, up, down] = await Promise.all([
        evaluateEntry(supply, text, unit),
        evaluateEntry(supply, text, unit, "up"),
        evaluateEntry(supply, text, unit, "down"),
      ]);
      return { here, up, down };
    },
  });
  return found.data;
}

export async function evaluateEntry(
  supply: string,
  text: string,
  unit: Unit,
  step?: "up" | "down",
): Promise<EntryMeaning> {
  const body = { text, unit, step: step ?? null };
  return taken<EntryMeaning>(
    await api.POST("/api/supplies/{supply}/entry", { params: { path: { supply } }, body }),
  );
}
