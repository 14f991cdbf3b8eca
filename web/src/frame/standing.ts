import { useMemo } from "react";

import { isOver, judges, useJudgedRuns, type Outcome, type Run, type SupplyShown } from "../api/client";

export type Verdict = Outcome["verdicts"][number];

/** How a supply stands: its verdicts, each from the newest run of the study that decides it, and those runs. */
export interface Standing {
  verdicts: Verdict[];
  /** The run each study is judged by. */
  runs: Record<string, Run>;
}

/** Verdicts over all studies; of the study shown, by the run that is shown. */
export function useStanding(shown: SupplyShown, runs: Run[] | undefined, study: string, run?: Run): Standing {
  const { document: supply } = shown;
  const newest = useMemo(() => {
    const others = supply.studies?.filter((s) => s.id !== study) ?? [];
    return others.flatMap(
      (s) => runs?.find((r) => r.study === s.id && judges(r) && isOver(r) && r.outcome) ?? [],
    );
  }, [supply.studies, runs, study]);
  const judged = useJudgedRuns(newest, shown, runs);
  const all = run ? [run, ...judged] : judged;
  const of = Object.fromEntries(all.map((each) => [each.study, each]));
  const verdicts = (supply.requirements ?? []).flatMap((requirement) => {
    const reading = supply.readings?.find((r) => r.id === requirement.reading);
    const decided = of[reading?.study ?? ""]?.outcome?.verdicts.find((v) => v.id === requirement.id);
    return decided ?? [];
  });
  return { verdicts, runs: of };
}
