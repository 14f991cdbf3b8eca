import { useState } from "react";

import { type Harmonics, type Run, type Supply } from "../api/client";
import { useHarmonics } from "../api/traces";
import { signalNames } from "../readings/draft";
import { FIELD } from "../ui/field";
import { measured, show } from "../ui/quantity";
import { Spectrum } from "./spectrum";

interface Props {
  supply: Supply;
  run?: Run;
}

type Class = "A" | "B" | "C" | "D";

/** Harmonics of a signal at the end of the run, and how they stand to the limits for mains currents. */
export function HarmonicsView({ supply, run }: Props) {
  const source = supply.parts?.find((p) => p.kind === "sine_source")?.id;
  const [signal, setSignal] = useState(source ? `${source}.i` : "");
  const [voltage, setVoltage] = useState(source ? `${source}.v` : "");
  const [klass, setClass] = useState<Class | "">(source ? "A" : "");
  const [periods, setPeriods] = useState(5);
  const [decibels, setDecibels] = useState(false);
  const asked = {
    signal: signal.trim(),
    voltage: voltage.trim() || null,
    class: klass || null,
    periods,
    fundamental: null,
  };
  const found = useHarmonics(run, asked);
  return (
    <section aria-label="Harmonics" className="grid gap-2 p-3">
      <div className="flex flex-wrap items-center gap-2">
        <datalist id="harmonic-signals">
          {signalNames(supply).map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
        <label className="flex items-center gap-2">
          <span className="text-muted">Harmonics of</span>
          <input
            value={signal}
            list="harmonic-signals"
            spellCheck={false}
            onChange={(event) => setSignal(event.target.value)}
            className={`figures w-28 ${FIELD}`}
          />
        </label>
        <label
          className="flex items-center gap-2"
          title="The voltage the current flows with; power and limits need it"
        >
          <span className="text-muted">with</span>
          <input
            value={voltage}
            list="harmonic-signals"
            placeholder="no voltage"
            spellCheck={false}
            onChange={(event) => setVoltage(event.target.value)}
            className={`figures w-28 ${FIELD}`}
          />
        </label>
        <label className="flex items-center gap-2">
          <span className="text-muted">over the last</span>
          <select
            value={periods}
            onChange={(event) => setPeriods(Number(event.target.value))}
            className={FIELD}
          >
            {[1, 2, 5, 10, 16].map((n) => (
              <option key={n} value={n}>
                {n} {n === 1 ? "period" : "periods"}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2">
          <span className="text-muted">against IEC 61000-3-2</span>
          <select
            value={klass}
            onChange={(event) => setClass(event.target.value as Class | "")}
            className={FIELD}
          >
            <option value="">no limits</option>
            <option value="A">class A</option>
            <option value="B">class B</option>
            <option value="C">class C, above 25 W</option>
            <option value="D">class D</option>
          </select>
        </label>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={decibels}
            onChange={(event) => setDecibels(event.target.checked)}
            className="accent-copper"
          />
          dB
        </label>
      </div>
      {!run?.node_count && <p className="text-muted">Run the study to see what its currents are made of.</p>}
      {found.error && (
        <p role="alert" className="text-missed">
          {found.error.message}
        </p>
      )}
      {found.data && (
        <>
          <Summary harmonics={found.data} klass={klass} />
          <div className="grid grid-cols-[3fr_2fr] items-start gap-4">
            <Spectrum harmonics={found.data} decibels={decibels} />
            <Table harmonics={found.data} />
          </div>
        </>
      )}
    </section>
  );
}

function Summary({ harmonics, klass }: { harmonics: Harmonics; klass: string }) {
  const { largest_use: used, distortion, power, power_factor: factor, exempt } = harmonics;
  const verdict = used == null ? "" : `${exempt ? "would be " : ""}${used > 1 ? "missed" : "met"}`;
  const colour =
    used == null || exempt ? "" : used > 1 ? "text-missed" : used > 0.9 ? "text-close" : "text-met";
  const parts = [
    distortion != null && `total harmonic distortion ${(100 * distortion).toPrecision(3)}\u2009%`,
    power != null && `real power ${show(power, "watt")}`,
    factor != null && `power factor ${factor.toPrecision(3)}`,
  ].filter(Boolean);
  return (
    <p className="figures" data-testid="harmonics-summary">
      {parts.join(", ")}
      {klass && used != null && (
        <span className={`ml-3 font-sans font-semibold ${colour}`}>
          {exempt && <>no limits at 75&thinsp;W or less; </>}
          class {klass} {verdict}, largest at {(100 * used).toFixed(0)}&thinsp;% of its limit
        </span>
      )}
    </p>
  );
}

/** The harmonics in figures; those that matter, or that are limited. */
function Table({ harmonics }: { harmonics: Harmonics }) {
  const first = harmonics.orders[0]?.rms ?? 0;
  const shown = harmonics.orders.filter((o) => o.order === 1 || o.limit != null || o.rms > 1e-3 * first);
  return (
    <div className="max-h-56 overflow-auto">
      <table className="w-full text-xs" aria-label="Harmonics in figures">
        <thead className="text-right text-muted">
          <tr>
            {["Order", "Frequency", "RMS", "of the first", "Limit", "used"].map((head) => (
              <th key={head} className="px-2 font-normal">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="figures text-right">
          {shown.map((o) => {
            const used = o.limit != null ? o.rms / o.limit : undefined;
            return (
              <tr key={o.order} className="border-t border-hairline" data-testid={`order-${o.order}`}>
                <td className="px-2">{o.order}</td>
                <td className="px-2">{show(o.order * harmonics.fundamental, "hertz")}</td>
                <td className="px-2">{measured(o.rms, harmonics.unit)}</td>
                <td className="px-2">{first > 0 ? `${((100 * o.rms) / first).toFixed(1)}\u2009%` : ""}</td>
                <td className="px-2">{o.limit != null ? show(o.limit, harmonics.unit, 3) : ""}</td>
                <td className={`px-2 ${used !== undefined && used > 1 ? "text-missed" : ""}`}>
                  {used !== undefined ? `${(100 * used).toFixed(0)}\u2009%` : ""}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
