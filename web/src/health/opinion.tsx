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
const CELL = "figures px-3 py-0.5 text-right whitespace-nowrap";

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
      {readings.length > 0 && (
        <table aria-label="Readings of both">
          <thead className="text-left text-xs text-muted">
            <tr className="border-b border-hairline">
              <th className="pr-3 font-normal">Reading</th>
              <th className="px-3 text-right font-normal">This run</th>
              <th className="px-3 text-right font-normal">Second</th>
              <th className="px-3 text-right font-normal">Apart</th>
            </tr>
          </thead>
          <tbody>
            {readings.slice(0, ROWS).map(({ reading, unit, first, second, difference }) => (
              <tr key={reading} className="border-b border-hairline" data-testid={`opinion-${reading}`}>
                <td className="pr-3">{title(reading)}</td>
                <td className={CELL}>{first == null ? "none" : measured(first, unit)}</td>
                <td className={CELL}>{second == null ? "none" : measured(second, unit)}</td>
                <td className={CELL}>{difference == null ? "" : share(difference)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {opinion.signals.length > 0 && (
        <table aria-label="Where traces part">
          <thead className="text-left text-xs text-muted">
            <tr className="border-b border-hairline">
              <th className="pr-3 font-normal">Trace</th>
              <th className="px-3 text-right font-normal">Farthest apart</th>
              <th
                className="px-3 text-right font-normal"
                title="Of what it swings by, or of its largest value"
              >
                Of its size
              </th>
              <th className="px-3 text-right font-normal">At</th>
            </tr>
          </thead>
          <tbody>
            {opinion.signals.slice(0, ROWS).map(({ signal, unit, distance, at, scale }) => (
              <tr key={signal} className="border-b border-hairline">
                <td className="figures pr-3 text-teal">{signal}</td>
                <td className={CELL}>{measured(distance, unit)}</td>
                <td className={CELL}>{share(scale > 0 ? distance / scale : 0)}</td>
                <td className={CELL}>{show(at, "second", 3)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {opinion.curves.length > 0 && (
        <table aria-label="Where curves part">
          <thead className="text-left text-xs text-muted">
            <tr className="border-b border-hairline">
              <th className="pr-3 font-normal">Curve</th>
              <th className="px-3 text-right font-normal">Farthest apart</th>
              <th className="px-3 text-right font-normal">In phase</th>
              <th className="px-3 text-right font-normal">At</th>
            </tr>
          </thead>
          <tbody>
            {opinion.curves.map(({ id, at, decibels, degrees }) => (
              <tr key={id} className="border-b border-hairline">
                <td className="figures pr-3 text-teal">{id}</td>
                <td className={CELL}>{show(decibels, "decibel", 2)}</td>
                <td className={CELL}>{show(degrees, "degree", 2)}</td>
                <td className={CELL}>{show(at, "hertz", 3)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
