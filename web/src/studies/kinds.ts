import type { Study, StudyKind, StudyOffers } from "../api/client";

/** A study in which time goes on. */
export type TimedStudy = Extract<Study, { duration: string }>;
/** A study that may make a step. */
export type SteppedStudy = Extract<Study, { kind: "load_step" | "line_step" }>;
/** A study over frequency. */
export type FrequencyStudy = Extract<Study, { kind: "frequency" }>;

/** What each kind of study is called, and does. */
export const KINDS: Record<StudyKind, [name: string, does: string]> = {
  switch_on: ["Switch-on", "from everything at rest"],
  load_step: ["Load step", "a load steps"],
  line_step: ["Line step", "a source steps"],
  settled: ["Settled", "the periodic steady state"],
  operating_point: ["Operating point", "where it rests"],
  frequency: ["Frequency", "answers to small sinusoids"],
};

export const isTimed = (study: Study): study is TimedStudy => "duration" in study;
export const isStepped = (study: Study): study is SteppedStudy =>
  study.kind === "load_step" || study.kind === "line_step";

/** The study made one of another kind: what both have stays, what only the new one has is as the circuit suggests. */
export function converted(study: Study, kind: StudyKind, offers: StudyOffers | undefined): Study {
  const { id, title, engine, cut, strips } = study;
  const own = { id, title, engine, cut, strips };
  const offered = offers?.proposed.find((proposed) => proposed.study.kind === kind)?.study;
  if (kind === "operating_point") return { ...own, kind };
  if (kind === "frequency") {
    const asked = offered?.kind === "frequency" ? offered : { from: "10", to: "1M", questions: [] };
    const { from, to, questions } = asked;
    return { ...own, strips: offered?.strips ?? [], kind, from, to, questions };
  }
  const timed = isTimed(study) ? study : offered && isTimed(offered) ? offered : { duration: "10m" };
  const { duration, suggested, record_from, max_step, tolerance } = timed as Partial<TimedStudy>;
  const course = { duration: duration ?? "10m", suggested, max_step, tolerance };
  const shown = study.kind === "frequency" ? { ...own, strips: offered?.strips ?? [] } : own;
  if (kind === "settled") return { ...shown, ...course, kind };
  if (kind === "switch_on") return { ...shown, ...course, record_from, kind };
  const step = offered && isStepped(offered) ? offered.step : undefined;
  return { ...shown, ...course, record_from, kind, step };
}
