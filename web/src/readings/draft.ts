import type { Measure, Supply, Unit } from "../api/client";

export type Reading = NonNullable<Supply["readings"]>[number];

/** Periods at the end of a run that a new reading of what is periodic looks at. */
const LAST_PERIODS = 5;

const LETTERS = ["v", "i", "p"];

/** The unit for a signal, of three: of a voltage, a current, a power. */
export function unitFor(units: Unit[], signal: string): Unit {
  const place = LETTERS.indexOf(signal.trim().at(-1) ?? "v");
  return units[Math.max(0, place)] ?? "one";
}

/** What a reading reads, in words. */
export function described(reading: Reading, measures: Measure[], supply: Supply): string {
  const name = measures.find((m) => m.id === reading.measure)?.name ?? reading.measure.replaceAll("_", " ");
  if (reading.measure === "formula") return reading.formula ?? "";
  const of = reading.current ? `${reading.signal} with ${reading.current}` : reading.signal;
  if (of) return `${name} of ${of}`;
  const stage = supply.stages?.find((s) => s.id === reading.stage)?.title;
  return `${name} of ${stage?.toLowerCase() ?? "the whole supply"}`;
}

type Part = NonNullable<Supply["parts"]>[number];

/** Kinds of parts that deliver what is asked of them: their current and power are looked at with that sign. */
const DELIVERS = new Set<Part["kind"]>([
  "dc_source",
  "sine_source",
  "pulse_source",
  "piecewise_source",
  "exponential_source",
  "current_source",
]);

/** The signals of a part; a source's current and power as it delivers them. */
export function partSignals({ id, kind }: Part): string[] {
  const sign = DELIVERS.has(kind) ? "-" : "";
  return [`${id}.v`, `${sign}${id}.i`, `${sign}${id}.p`];
}

/** What is looked at, in words, where the signal alone may be misread. */
export function signalMeaning(signal: string, supply: Supply): string | undefined {
  const of = /^-(.+)\.[ip]$/.exec(signal)?.[1];
  const source = supply.parts?.find((part) => part.id === of && DELIVERS.has(part.kind));
  return source && "delivered";
}

/** Every signal there is, nets first. */
export function signalNames(supply: Supply): string[] {
  const parts = supply.parts ?? [];
  const nets = [...new Set(parts.flatMap((p) => Object.values(p.pins)))].filter((net) => net !== "gnd");
  return [...nets.map((n) => `${n}.v`), ...parts.flatMap(partSignals)];
}

/** What a reading begins as: of the latest source and of the end of a run, where there is a period. */
export function begun(supply: Supply, study: string): Reading {
  const taken = new Set([...(supply.requirements ?? []), ...(supply.readings ?? [])].map((r) => r.id));
  const free = (n: number): string => (taken.has(`reading_${n}`) ? free(n + 1) : `reading_${n}`);
  const asked = curvesOf(supply, study);
  if (asked)
    return {
      id: free(1),
      title: "",
      study,
      measure: "phase_margin",
      signal: asked[0] ?? "",
      window: "whole_run",
    };
  return { id: free(1), title: "", study, measure: "mean", signal: "", window: usualWindow(supply) };
}

/** The curves a frequency study asks for, by name; none of other studies. */
export function curvesOf(supply: Supply, study: string): string[] | undefined {
  const found = supply.studies?.find((s) => s.id === study);
  return found?.kind === "frequency" ? (found.questions ?? []).map((question) => question.id) : undefined;
}

/** Whether a reading is held against a mask. */
export const takesMask = (reading: Reading) =>
  reading.measure === "mask_use" || reading.measure === "mask_rest";

/** An identifier out of a title, free among readings and requirements; formulas call a reading by it. */
export function named(supply: Supply, title: string): string {
  const taken = new Set([...(supply.requirements ?? []), ...(supply.readings ?? [])].map((r) => r.id));
  const words =
    title
      .toLowerCase()
      .match(/[a-z0-9]+/g)
      ?.join("_") ?? "";
  const stem = /^[a-z]/.test(words) ? words.slice(0, 40) : `reading_${words}`.replace(/_$/, "");
  const free = (n: number): string => (taken.has(`${stem}_${n}`) ? free(n + 1) : `${stem}_${n}`);
  return taken.has(stem) ? free(2) : stem;
}

/** The last periods of the source, or all of the run. */
export function usualWindow(supply: Supply): Reading["window"] {
  const source = supply.parts?.find((p) => p.kind === "sine_source" || p.kind === "three_phase_source");
  return source ? { last_periods: { count: LAST_PERIODS, period_of: source.id } } : "whole_run";
}

/** The reading with what its measure does not take left out. */
export function fitted(reading: Reading, measure: Measure | undefined): Reading {
  const of = measure?.of ?? "signal";
  const numbers = Object.entries(reading.numbers ?? {}).filter(
    ([name, text]) => text !== "" && measure?.numbers.some((n) => n.id === name),
  );
  return {
    ...reading,
    signal: of === "signal" || of === "port" || of === "curve" ? reading.signal : "",
    mask: takesMask(reading) ? reading.mask : undefined,
    current: of === "port" ? reading.current : undefined,
    stage: of === "stage" ? reading.stage || undefined : undefined,
    formula: of === "readings" ? reading.formula : undefined,
    numbers: numbers.length > 0 ? Object.fromEntries(numbers) : undefined,
  };
}
