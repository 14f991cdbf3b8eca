import { useState } from "react";

import { type SpanMeasures } from "../api/client";
import { useMeasures, useTraces } from "../api/traces";
import { Sparkline } from "../plot/sparkline";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";
import { show } from "../ui/quantity";
import { useTaps, type Taps } from "./taps";

interface Props {
  /** Quantities of what was chosen. */
  signals: string[];
  /** For a net: the others its voltage can be taken against. */
  others?: string[];
}

const SPARK = { width: 64, height: 18 };
const NOTHING_MORE: [] = [];

/** What the run shows of a net or part: each quantity's course and figures over the whole run, and the way into a strip. */
export function Tapped({ signals, others = [] }: Props) {
  const taps = useTaps();
  const [against, setAgainst] = useState("");
  const all = against && signals[0] ? [...signals, `${signals[0]} - ${against}.v`] : signals;
  const [from, to] = taps?.run?.recorded ?? [0, 0];
  const traces = useTraces(taps?.run, all, from, to, SPARK.width);
  const measures = useMeasures(taps?.run, all, from, to, NOTHING_MORE);
  if (!taps) return null;
  if (!taps.run?.node_count)
    return <p className="text-xs text-muted">Run the study to see what flows here.</p>;
  return (
    <div className="grid gap-1" role="group" aria-label="In the run shown">
      {all.map((signal) => (
        <div key={signal} className="flex items-center gap-2" data-testid={`tap-${signal}`}>
          <span className="figures w-24 shrink-0 truncate text-xs" title={signal}>
            {signal}
          </span>
          <Sparkline points={traces.data?.get(signal)} {...SPARK} />
          <Figures measures={measures.data?.find((m) => m.signal === signal)} />
          <PutMenu signal={signal} taps={taps} />
        </div>
      ))}
      {others.length > 0 && (
        <label className="flex items-center gap-2 text-xs text-muted">
          Difference with
          <select
            value={against}
            onChange={(event) => setAgainst(event.target.value)}
            className="figures h-6 min-w-0 grow rounded-md border border-hairline bg-panel px-1 text-ink"
          >
            <option value="">no other net</option>
            {others.map((net) => (
              <option key={net}>{net}</option>
            ))}
          </select>
        </label>
      )}
    </div>
  );
}

/** Mean and RMS above, lowest and highest value beneath. */
function Figures({ measures }: { measures?: SpanMeasures }) {
  const most = Math.max(Math.abs(measures?.min ?? 0), Math.abs(measures?.max ?? 0));
  // What is left of rounding is nothing.
  const figure = (value: number | null | undefined) =>
    value == null || !measures ? "–" : show(Math.abs(value) < 1e-9 * most ? 0 : value, measures.unit, 3);
  return (
    <span className="figures grow text-right text-[11px] leading-4 whitespace-nowrap">
      <span className="block" title="Mean and RMS over the whole run">
        {figure(measures?.mean)} <span className="text-muted">mean</span>, {figure(measures?.rms)}{" "}
        <span className="text-muted">RMS</span>
      </span>
      <span className="block text-muted" title="Lowest and highest value">
        {figure(measures?.min)} … {figure(measures?.max)}
      </span>
    </span>
  );
}

function PutMenu({ signal, taps }: { signal: string; taps: Taps }) {
  const shown = taps.strips.some((strip) => strip.traces.some((t) => t.signal === signal));
  return (
    <Menu
      className="text-xs"
      trigger={
        <Button
          look={shown ? "plain" : "quiet"}
          className="h-6 shrink-0 px-1.5 text-xs"
          aria-label={`Show ${signal} in a strip`}
        >
          {shown ? "shown" : "show"}
        </Button>
      }
    >
      {taps.strips.map((strip, k) => {
        const signals = strip.traces.map((trace) => trace.signal);
        const there = signals.includes(signal);
        return (
          <MenuItem key={k} onSelect={() => (there ? taps.take(signal, k) : taps.put(signal, k))}>
            {there ? "Take out of" : "Show in"} strip {k + 1}
            {signals.length > 0 && (
              <span className="figures text-muted"> {signals.slice(0, 3).join(", ")}</span>
            )}
          </MenuItem>
        );
      })}
      <MenuItem onSelect={() => taps.put(signal, taps.strips.length)}>Show in a new strip</MenuItem>
    </Menu>
  );
}
