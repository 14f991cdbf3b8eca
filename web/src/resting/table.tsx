import { useState } from "react";

import { useResting, type SupplyShown } from "../api/client";
import { FIELD } from "../ui/field";
import { measured, type Unit } from "../ui/quantity";
import { Notice } from "../ui/states";

interface Props {
  shown: SupplyShown;
  /** Chooses a part. */
  onPart: (part: string) => void;
}

const HEAD = "px-3 py-1 font-normal";
const CELL = "figures px-3 py-0.5 whitespace-nowrap";

/** Where the circuit rests: every net and part, searched by name or by what a device is doing. */
export function RestingTable({ shown, onPart }: Props) {
  const found = useResting(shown, true);
  const [search, setSearch] = useState("");
  if (found.isError) return <Notice>{found.error.message}</Notice>;
  if (!found.data) return <Notice>Looking for the operating point …</Notice>;
  const { nets, parts, remarks, found: how } = found.data.resting;
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const wanted = (...texts: (string | false | null | undefined)[]) => {
    const text = texts.join(" ").toLowerCase();
    return words.every((word) => text.includes(word));
  };
  const onNet = (net: string) =>
    shown.document.parts?.filter((p) => Object.values(p.pins).includes(net)).map((p) => p.id) ?? [];
  const figure = (value: number | null | undefined, unit: Unit) => (
    <td className={`${CELL} text-right`}>{value == null ? "" : measured(value, unit)}</td>
  );
  return (
    <div className="grid h-full grid-rows-[auto_1fr]">
      <div className="flex items-center gap-3 px-3 py-1.5">
        <input
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          placeholder="Search: out, Q1, saturation"
          aria-label="Search the operating point"
          className={`${FIELD} w-60`}
        />
        <span className="truncate text-xs text-muted" title={how}>
          Revision {found.data.revision}, {how}.
        </span>
        {remarks.map((remark) => (
          <span key={remark} className="text-xs text-close">
            {remark}.
          </span>
        ))}
      </div>
      <div className="grid min-h-0 grid-cols-[1fr_2fr] gap-4 overflow-auto">
        <table aria-label="Nets at rest" className="self-start">
          <thead className="text-left text-xs text-muted">
            <tr className="border-b border-hairline">
              <th className={HEAD}>Net</th>
              <th className={`${HEAD} text-right`}>Voltage to gnd</th>
            </tr>
          </thead>
          <tbody>
            {nets
              .filter(({ net }) => wanted(net, ...onNet(net)))
              .map(({ net, voltage }) => (
                <tr key={net} className="border-b border-hairline" data-testid={`rests-${net}`}>
                  <td className={`${CELL} text-teal`}>{net}</td>
                  {figure(voltage, "volt")}
                </tr>
              ))}
          </tbody>
        </table>
        <table aria-label="Parts at rest" className="self-start">
          <thead className="text-left text-xs text-muted">
            <tr className="border-b border-hairline">
              <th className={HEAD}>Part</th>
              <th className={`${HEAD} text-right`}>Voltage</th>
              <th className={`${HEAD} text-right`} title="Into the first pin; of a source what it delivers">
                Current
              </th>
              <th className={`${HEAD} text-right`}>Power</th>
              <th className={HEAD}>Is</th>
            </tr>
          </thead>
          <tbody>
            {parts
              .filter(({ part, region, delivers }) => wanted(part, region, delivers && "delivering"))
              .map(({ part, voltage, current, power, region, delivers }) => (
                <tr key={part} className="border-b border-hairline" data-testid={`rests-${part}`}>
                  <td className="px-3">
                    <button
                      type="button"
                      className="font-semibold hover:text-copper"
                      onClick={() => onPart(part)}
                    >
                      {part}
                    </button>
                  </td>
                  {figure(voltage, "volt")}
                  {figure(current, "ampere")}
                  {figure(power, "watt")}
                  <td className="px-3">{delivers ? "delivering" : region}</td>
                </tr>
              ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
