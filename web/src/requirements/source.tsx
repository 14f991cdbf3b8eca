import type { Finding, Supply } from "../api/client";
import { ValueField } from "../ui/valuefield";

type Source = NonNullable<Supply["source"]>;

interface Props {
  supply: string;
  source: Source;
  findings: Finding[];
  onChange: (next: (source: Source) => Source) => void;
}

const KINDS: { id: Source["kind"]; name: string; start: Source }[] = [
  {
    id: "mains",
    name: "Single-phase mains",
    start: { kind: "mains", voltage: "230", lowest: "207", highest: "253", frequency: "50" },
  },
  {
    id: "three_phase_mains",
    name: "Three-phase mains",
    start: { kind: "three_phase_mains", voltage: "230", lowest: "207", highest: "253", frequency: "50" },
  },
  { id: "dc", name: "Direct voltage", start: { kind: "dc", voltage: "24" } },
];

/** What feeds the supply. */
export function SourceForm({ supply, source, findings, onChange }: Props) {
  const alternating = source.kind !== "dc";
  const of = source.kind === "three_phase_mains" ? ", phase to neutral" : "";
  const volts = (name: string) => (alternating ? `${name}${of}, RMS` : name);
  return (
    <div className="grid gap-2">
      <h2 className="font-semibold">Source</h2>
      <fieldset className="flex gap-1">
        <legend className="sr-only">Kind of source</legend>
        {KINDS.map(({ id, name, start }) => (
          <label
            key={id}
            className={`cursor-pointer rounded-md border px-2 py-1 ${id === source.kind ? "border-copper bg-copper-soft" : "border-hairline"}`}
          >
            <input
              type="radio"
              name="source-kind"
              className="sr-only"
              checked={id === source.kind}
              onChange={() => onChange(() => start)}
            />
            {name}
          </label>
        ))}
      </fieldset>
      <ValueField
        supply={supply}
        label={volts("Nominal voltage")}
        help={
          source.kind === "three_phase_mains"
            ? "Of a phase against neutral; √3 times that lies between lines."
            : alternating
              ? "Of the line against neutral."
              : "Voltage of + against the return."
        }
        unit="volt"
        meant={alternating ? "rms" : undefined}
        text={source.voltage}
        finding={findings[0]}
        onCommit={(voltage) => onChange((s) => ({ ...s, voltage }))}
      />
      <ValueField
        supply={supply}
        label={volts("Lowest voltage")}
        help="The supply must still work from it."
        unit="volt"
        text={source.lowest ?? source.voltage}
        onCommit={(lowest) => onChange((s) => ({ ...s, lowest }))}
      />
      <ValueField
        supply={supply}
        label={volts("Highest voltage")}
        help="The supply must bear it."
        unit="volt"
        text={source.highest ?? source.voltage}
        onCommit={(highest) => onChange((s) => ({ ...s, highest }))}
      />
      {alternating && (
        <ValueField
          supply={supply}
          label="Frequency"
          help="Of the mains."
          unit="hertz"
          text={source.frequency ?? "50"}
          onCommit={(frequency) => onChange((s) => ({ ...s, frequency }))}
        />
      )}
    </div>
  );
}
