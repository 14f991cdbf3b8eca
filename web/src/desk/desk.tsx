import { useCallback, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";

import {
  isOver,
  whyBlocked,
  type Finding,
  type PartKind,
  type Run,
  type Supply,
  type SupplyShown,
} from "../api/client";
import { CurveStrips } from "../curves/strips";
import { Drawing } from "../drawing/drawing";
import type { Editing } from "../frame/editing";
import type { Standing } from "../frame/standing";
import { decadesOf } from "../plot/frame";
import { TapsContext } from "../taps/taps";
import { useKept } from "../ui/kept";
import { ArrangementSwitch, type Arrangement } from "./arrangement";
import { Dock } from "./dock";
import { Inspector } from "./inspector";
import type { Seen } from "../strips/viewing";
import { Strips, type Look } from "./strips";
import { signalsOf, stripOf, useStrips, withSignals } from "../strips/usestrips";

interface Props {
  shown: SupplyShown;
  kinds: PartKind[];
  /** What the checks and the runs complain of. */
  findings: Finding[];
  /** Of all studies, newest first. */
  runs?: Run[];
  editing: Editing;
  study: string;
  onStudy: (study: string) => void;
  run?: Run;
  standing: Standing;
  before?: Run;
  /** Runs of the study that have ended, newest first. */
  others: Run[];
  /** The parts chosen in the drawing; the inspector shows a single one. */
  parts: string[];
  onParts: (parts: string[]) => void;
  stage?: string;
  onStage: (stage: string | undefined) => void;
}

const NOTHING_CHOSEN: Seen = {};
/** Decades beside the frequency that decided a verdict. */
const BESIDE = 0.2;
/** Part of a run beside the moment at which a part bore the most. */
const MOMENT = 0.02;

/** The main view: drawing, strips, numbers. */
export function Desk(props: Props) {
  const { shown, kinds, editing, study, run, standing, before, others, parts, onParts, stage } = props;
  const [look, setLook] = useState<Look>();
  const [behind, setBehind] = useState<string[]>([]);
  // What was looked at in each study stays while the desk is arranged anew and other studies are shown.
  const [looks, setLooks] = useState<Record<string, Seen>>({});
  const onSeen = useCallback((seen: Seen) => setLooks((all) => ({ ...all, [study]: seen })), [study]);
  const { document: supply } = shown;
  const chosen = parts.length === 1 ? supply.parts?.find((p) => p.id === parts[0]) : undefined;
  const kind = kinds.find((k) => k.id === chosen?.kind);
  const [arrangement, setArrangement] = useKept<Arrangement>(`desk-${shown.id}`, "beside");
  const [strips, arrange] = useStrips(supply, study, editing);
  const taps = {
    run,
    strips,
    put: (signal: string, strip: number) =>
      arrange(
        `show ${signal}`,
        strip < strips.length
          ? strips.map((of, k) => (k === strip ? withSignals(of, [...signalsOf(of), signal]) : of))
          : [...strips, stripOf(signal)],
      ),
    take: (signal: string, strip: number) =>
      arrange(
        `take ${signal} out`,
        strips.map((of, k) =>
          k === strip
            ? withSignals(
                of,
                signalsOf(of).filter((s) => s !== signal),
              )
            : of,
        ),
      ),
  };
  const drawing = (
    <Drawing
      shown={shown}
      kinds={kinds}
      findings={props.findings}
      selected={parts}
      stage={stage}
      run={run && isOver(run) && run.node_count > 0 ? run.id : undefined}
      from={looks[study]?.span?.from}
      to={looks[study]?.span?.to}
      onSelect={onParts}
      editing={editing}
    />
  );
  const overFrequency = supply.studies?.find((s) => s.id === study)?.kind === "frequency";
  const plots = overFrequency ? (
    <CurveStrips
      key={study}
      supply={supply}
      revision={shown.revision}
      study={study}
      editing={editing}
      run={run}
      others={others}
      seen={looks[study] ?? NOTHING_CHOSEN}
      onSeen={onSeen}
      behind={behind}
      onBehind={setBehind}
      blocked={whyBlocked(shown.findings)}
    />
  ) : (
    <Strips
      key={study}
      id={shown.id}
      supply={supply}
      study={study}
      editing={editing}
      run={run}
      others={others}
      look={look?.study === study ? look : undefined}
      seen={looks[study] ?? NOTHING_CHOSEN}
      onSeen={onSeen}
      behind={behind}
      onBehind={setBehind}
      blocked={whyBlocked(shown.findings)}
    />
  );
  const showPlace = (place: Look) => {
    setLook(place);
    const at = place.span.to;
    // Over frequency the one that decided is brought into the middle of the span.
    if (supply.studies?.find((s) => s.id === place.study)?.kind === "frequency" && at > 0) {
      const decided = { from: decadesOf(at) - BESIDE, to: decadesOf(at) + BESIDE };
      setLooks((all) => ({ ...all, [place.study]: { span: decided } }));
    }
    props.onStudy(place.study);
    if (arrangement === "drawing" || arrangement === "numbers") setArrangement("beside");
    editing.change("show what was read", (document) => {
      const looked = document.studies?.find((s) => s.id === place.study);
      const there = looked?.strips?.flatMap(signalsOf) ?? [];
      const missing = place.signals.filter((signal) => !there.includes(signal));
      if (looked && missing.length > 0) looked.strips = [...(looked.strips ?? []), stripOf(...missing)];
    });
  };
  const dock = (
    <div className="relative h-full">
      <Dock
        shown={shown}
        findings={props.findings}
        allRuns={props.runs}
        editing={editing}
        study={study}
        run={run}
        before={before}
        verdicts={standing.verdicts}
        runs={standing.runs}
        stage={stage}
        onStage={props.onStage}
        onLook={(reading) => {
          const place = lookAt(supply, standing, reading, look?.nth ?? 0);
          if (place) showPlace(place);
        }}
        onMoment={(of, signal, at) => {
          const [from, to] = standing.runs[of]?.recorded ?? [0, 0];
          const beside = at === null ? 0 : MOMENT * (to - from);
          const span =
            at === null ? { from, to } : { from: Math.max(from, at - beside), to: Math.min(to, at + beside) };
          showPlace({ study: of, signals: [signal], span, nth: (look?.nth ?? 0) + 1 });
        }}
        onPart={(part) => onParts([part])}
        kinds={kinds}
        onBehind={(run) => setBehind(run ? [run] : [])}
        arrangement={<ArrangementSwitch value={arrangement} onChange={setArrangement} />}
      />
      {chosen && kind && (
        <Inspector
          key={chosen.id}
          supply={shown}
          part={chosen}
          kind={kind}
          onClose={() => onParts([])}
          kinds={kinds}
          editing={editing}
        />
      )}
    </div>
  );
  if (arrangement === "numbers") return <TapsContext value={taps}>{dock}</TapsContext>;
  const both = arrangement === "beside" || arrangement === "above";
  return (
    <TapsContext value={taps}>
      <Group orientation="vertical" className="h-full" key={arrangement}>
        <Panel defaultSize={arrangement === "above" ? "76%" : "64%"} minSize="30%">
          {arrangement === "drawing" && drawing}
          {arrangement === "strips" && plots}
          {both && (
            <Group orientation={arrangement === "beside" ? "horizontal" : "vertical"}>
              <Panel defaultSize={arrangement === "beside" ? "46%" : "40%"} minSize="20%">
                {drawing}
              </Panel>
              <Separator
                aria-label={
                  arrangement === "beside" ? "Width of drawing and strips" : "Height of drawing and strips"
                }
                className={`${arrangement === "beside" ? "w-px" : "h-px"} bg-hairline data-[separator=active]:bg-copper`}
              />
              <Panel minSize="25%">{plots}</Panel>
            </Group>
          )}
        </Panel>
        <Separator
          aria-label="Height of the dock"
          className="h-px bg-hairline data-[separator=active]:bg-copper"
        />
        <Panel minSize="12%">{dock}</Panel>
      </Group>
    </TapsContext>
  );
}

/** Where a reading was taken: its signals, and its window in the run. */
function lookAt(supply: Supply, { runs }: Standing, id: string, before: number): Look | undefined {
  const reading = supply.readings?.find((r) => r.id === id);
  const window = runs[reading?.study ?? ""]?.outcome?.readings.find((r) => r.id === id)?.window;
  if (!reading || !window) return undefined;
  const signals = [reading.signal, reading.current].filter((s): s is string => Boolean(s));
  return { study: reading.study, signals, span: { from: window[0], to: window[1] }, nth: before + 1 };
}
