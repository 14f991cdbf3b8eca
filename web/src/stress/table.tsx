import { useState } from "react";

import { useStress, type Run, type StressShown, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { FIELD } from "../ui/field";
import { Button } from "../ui/button";
import { Sheet } from "../ui/popover";
import { measured, show } from "../ui/quantity";
import { Notice } from "../ui/states";
import { ValueField } from "../ui/valuefield";

type Against = StressShown["parts"][number]["ratings"][number];

interface Props {
  shown: SupplyShown;
  editing: Editing;
  runs?: Run[];
  /** Chooses a part. */
  onPart: (part: string) => void;
  /** Shows when something was borne. */
  onMoment: (study: string, signal: string, at: number | null) => void;
}

const HEAD = "px-3 py-1 font-normal";
const CELL = "figures px-3 py-0.5 whitespace-nowrap";
const SHARES = [
  ["voltage", "Of voltages"],
  ["current", "Of currents"],
  ["power", "Of powers"],
] as const;

/** What every part bears, against what it is rated for. */
export function StressTable({ shown, editing, runs, onPart, onMoment }: Props) {
  const { document: supply } = shown;
  const studies = supply.studies?.filter((s) => !["operating_point", "frequency"].includes(s.kind)) ?? [];
  const [left, setLeft] = useState<string[]>([]);
  const [search, setSearch] = useState("");
  const chosen = studies.filter((s) => !left.includes(s.id)).map((s) => s.id);
  const found = useStress(shown, runs, chosen);
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const title = (id: string) => studies.find((s) => s.id === id)?.title ?? id;
  const parts = found.data?.parts.filter(({ part, ratings }) =>
    words.every((word) => [part, ratings[0]?.name].join(" ").toLowerCase().includes(word)),
  );
  const counted = found.data?.studies.filter((s) => s.run) ?? [];
  const shares = SHARES.map(([of]) => supply.derating?.[of]);
  const derated = shares.some(Boolean) ? shares.map((share) => share ?? "100 %").join(", ") : "none";
  return (
    <div className="flex h-full min-h-0 flex-col overflow-auto">
      <div className="flex items-center gap-3 px-3 py-1.5">
        <input
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          placeholder="Search: Q1, reverse voltage"
          aria-label="Search the stress table"
          className={`${FIELD} w-60`}
        />
        <Sheet
          label="Derating"
          align="start"
          className="w-80 p-3"
          trigger={<Button>Derating: {derated}</Button>}
        >
          <p className="mb-2 text-xs text-muted">How much parts may use of what they are rated for.</p>
          {SHARES.map(([of, label]) => (
            <ValueField
              key={of}
              supply={shown.id}
              label={label}
              help="The rest is left in reserve. Shares in the table count what may be used as the whole."
              unit="share"
              text={supply.derating?.[of] ?? ""}
              fallback="100"
              onCommit={(text) =>
                editing.change(`derate ${of}s`, (document) => {
                  const others = Object.entries(document.derating ?? {}).filter(([known]) => known !== of);
                  document.derating = Object.fromEntries(text === "" ? others : [...others, [of, text]]);
                })
              }
            />
          ))}
        </Sheet>
        <Sheet
          label="Studies that count"
          align="start"
          className="w-80 p-3"
          trigger={
            <Button>
              At the worst over {left.length > 0 ? `${chosen.length} of ${studies.length}` : "all"} studies
            </Button>
          }
        >
          {studies.map((study) => {
            const run = found.data?.studies.find((s) => s.study === study.id)?.run;
            return (
              <label key={study.id} className="flex items-baseline gap-2 py-0.5">
                <input
                  type="checkbox"
                  className="accent-copper"
                  checked={!left.includes(study.id)}
                  onChange={({ target }) =>
                    setLeft((all) =>
                      target.checked ? all.filter((id) => id !== study.id) : [...all, study.id],
                    )
                  }
                />
                <span>{study.title}</span>
                {found.data && !run && chosen.includes(study.id) && (
                  <span className="text-xs text-muted">not run as it stands</span>
                )}
              </label>
            );
          })}
        </Sheet>
        <span className="truncate text-xs text-muted">
          Voltage and current: peaks of the whole run. RMS and power: over its last period.
        </span>
      </div>
      {found.isError && <Notice>{found.error.message}</Notice>}
      {chosen.length === 0 && <Notice>Choose a study that counts.</Notice>}
      {chosen.length > 0 && found.data && counted.length === 0 && (
        <Notice>Run a study: what its parts bear is then held against what they are rated for.</Notice>
      )}
      {chosen.length > 0 && counted.length > 0 && (
        <table aria-label="Stress of parts" className="self-start">
          <thead className="text-left text-xs text-muted">
            <tr className="border-b border-hairline">
              <th className={HEAD}>Part</th>
              <th className={HEAD}>Uses</th>
              <th className={HEAD}>Of its rating</th>
              <th className={HEAD}>In</th>
              <th className={`${HEAD} text-right`}>Voltage</th>
              <th className={`${HEAD} text-right`}>Current</th>
              <th className={`${HEAD} text-right`}>RMS</th>
              <th className={`${HEAD} text-right`}>Power</th>
            </tr>
          </thead>
          <tbody>
            {parts?.map(({ part, voltage, current, rms_current, power, ratings }) => (
              <tr key={part} className="border-b border-hairline" data-testid={`stress-${part}`}>
                <td className="px-3">
                  <button
                    type="button"
                    className="font-semibold hover:text-copper"
                    onClick={() => onPart(part)}
                  >
                    {part}
                  </button>
                </td>
                {ratings[0] ? (
                  <Most most={ratings[0]} all={ratings} title={title} onMoment={onMoment} />
                ) : (
                  <td className="px-3 text-muted" colSpan={3}>
                    no rating is stated
                  </td>
                )}
                <td className={`${CELL} text-right`}>{measured(voltage.value, "volt")}</td>
                <td className={`${CELL} text-right`}>{measured(current.value, "ampere")}</td>
                <td className={`${CELL} text-right`}>{measured(rms_current.value, "ampere")}</td>
                <td className={`${CELL} text-right`}>{measured(power.value, "watt")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

interface MostProps {
  most: Against;
  all: Against[];
  title: (study: string) => string;
  onMoment: Props["onMoment"];
}

/** The rating of which most is used, as a bar and in words. */
function Most({ most, all, title, onMoment }: MostProps) {
  const { share, value, rated, allowed, unit, name, at, study, signal } = most;
  const look = share > 1 ? "missed" : share > 0.9 ? "close" : "met";
  const others = all.map((a) => `${a.name}: ${show(a.share, "share", 3)}`).join("\n");
  const may = allowed < 1 ? `, ${show(allowed, "share", 3)} of it` : "";
  return (
    <>
      <td className="px-3" title={others}>
        <span className="flex items-center gap-2">
          <span className="h-1.5 w-16 shrink-0 rounded-full bg-hairline" aria-hidden>
            <span
              className="block h-full rounded-full"
              style={{ width: `${Math.max(0, Math.min(1, share)) * 100}%`, background: `var(--${look})` }}
            />
          </span>
          <span className={`figures whitespace-nowrap text-${look}`}>{show(share, "share", 3)}</span>
        </span>
      </td>
      <td className="px-3 whitespace-nowrap">
        {name}{" "}
        <span className="figures">
          {show(value, unit, 3)} of {show(rated, unit, 3)}
          {may}
        </span>
      </td>
      <td className="px-3 whitespace-nowrap">
        <button
          type="button"
          className="text-copper underline"
          title={`Show ${signal} there`}
          onClick={() => onMoment(study, signal, at ?? null)}
        >
          {title(study)}
          {at != null && ` at ${show(at, "second", 3)}`}
        </button>
      </td>
    </>
  );
}
