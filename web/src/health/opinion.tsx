import type { ReactNode } from "react";

import {
  isOver,
  useAskOpinion,
  useOpinion,
  type OpinionShown,
  type Run,
  type SupplyShown,
} from "../api/client";
import { Button } from "../ui/button";
import { measured, show } from "../ui/quantity";

interface Props {
  shown: SupplyShown;
  run: Run;
  blocked?: string;
  /** Whether health has a doubt, so that it is worth asking. */
  doubted: boolean;
  onBehind: (run?: string) => void;
}

/** Rows of each kind shown; the others are nearer than these. */
const ROWS = 6;
/** Shares below this are not told apart. */
const LEAST = 1e-4;

/** The study once more by the other engine or more accurately, and how far both are apart. */
export function Opinion({ shown, run, blocked, doubted, onBehind }: Props) {
  const found = useOpinion(run);
  const ask = useAskOpinion(shown.id);
  const opinion = found.data ?? undefined;
  const going = opinion && !isOver(opinion.run);
  return (
    <section aria-label="Second opinion" className="mb-2 grid gap-2 border-y border-hairline py-2">
      <div className="flex items-center gap-3">
        <Button
          look={doubted && !opinion ? "main" : "plain"}
          disabled={Boolean(blocked) || ask.isPending || going}
          title={blocked}
          onClick={() => ask.mutate(run.id)}
        >
          {opinion && !going ? "Ask again" : "Second opinion"}
        </Button>
        <span className="text-muted">
          {going
            ? `Running: ${show(opinion.run.simulated_time, "second", 3)} of ${show(opinion.run.duration, "second", 3)} …`
            : opinion
              ? opinion.by && `Run once more ${opinion.by}.`
              : `${doubted ? "There is a doubt above. " : ""}Runs the study once more, by the other engine where every part has a form for it, ten times as accurate otherwise, and says how far both are apart.`}
        </span>
        {opinion && opinion.run.node_count > 0 && !going && (
          <Button look="quiet" onClick={() => onBehind(opinion.run.id)}>
            Show it behind the traces
          </Button>
        )}
      </div>
      {(ask.error ?? found.error) && (
        <p role="alert" className="text-missed">
          {(ask.error ?? found.error)?.message}
        </p>
      )}
      {opinion?.run.message && <p className="text-missed">{opinion.run.message}</p>}
      {opinion && !going && <Apart shown={shown} opinion={opinion} />}
    </section>
  );
}

function Apart({ shown, opinion }: { shown: SupplyShown; opinion: OpinionShown }) {
  const title = (id: string) => shown.document.readings?.find((r) => r.id === id)?.title ?? id;
  const far = (difference: number | null | undefined) => Math.abs(difference ?? Infinity);
  const readings = opinion.readings.toSorted((a, b) => far(b.difference) - far(a.difference));
  const share = (value: number) =>
    Math.abs(value) < LEAST ? (value === 0 ? "0\u2009%" : "< 0.01\u2009%") : show(value, "share", 2);
  return (
    <div className="flex flex-wrap items-start gap-8">
      <Table
        label="Readings of both"
        heads={["Reading", "This run", "Second", "Apart"]}
        rows={readings
          .slice(0, ROWS)
          .map(({ reading, unit, first, second, difference }) => [
            title(reading),
            first == null ? "none" : measured(first, unit),
            second == null ? "none" : measured(second, unit),
            difference == null ? "" : share(difference),
          ])}
      />
      <Table
        label="Where traces part"
        heads={["Trace", "Farthest apart", "Of its size", "At"]}
        rows={opinion.signals
          .slice(0, ROWS)
          .map(({ signal, unit, distance, at, scale }) => [
            <span className="figures text-teal">{signal}</span>,
            measured(distance, unit),
            share(scale > 0 ? distance / scale : 0),
            show(at, "second", 3),
          ])}
      />
      <Table
        label="Where curves part"
        heads={["Curve", "Farthest apart", "In phase", "At"]}
        rows={opinion.curves.map(({ id, at, decibels, degrees }) => [
          <span className="figures text-teal">{id}</span>,
          show(decibels, "decibel", 2),
          show(degrees, "degree", 2),
          show(at, "hertz", 3),
        ])}
      />
    </div>
  );
}

interface TableProps {
  label: string;
  heads: string[];
  /** What it is of, and figures of it. */
  rows: ReactNode[][];
}

function Table({ label, heads: [first, ...heads], rows }: TableProps) {
  if (rows.length === 0) return null;
  return (
    <table aria-label={label}>
      <thead className="text-left text-xs text-muted">
        <tr className="border-b border-hairline">
          <th className="pr-3 font-normal">{first}</th>
          {heads.map((head) => (
            <th key={head} className="px-3 text-right font-normal">
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map(([of, ...figures], k) => (
          <tr key={k} className="border-b border-hairline">
            <td className="pr-3">{of}</td>
            {figures.map((figure, i) => (
              <td key={i} className="figures px-3 py-0.5 text-right whitespace-nowrap">
                {figure}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
