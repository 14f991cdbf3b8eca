import { BARE, symbol, unitOf, type Unit } from "./quantity";

/** Whether a plain number with a prefix and a unit is fine, or why not, as `quantity` in the core reads it; nothing where only that
 * can tell. */
export type Plain = "fine" | { problem: string } | undefined;

/** What is measured in the usual units. */
const NAMES: Partial<Record<Unit, string>> = {
  volt: "a voltage",
  ampere: "a current",
  ohm: "a resistance",
  farad: "a capacitance",
  henry: "an inductance",
  second: "a time",
  hertz: "a frequency",
  watt: "a power",
};

const PREFIXES = "fpnuµμmkMGT";

/** Reads a number with a unit where there can be no doubt; all else is asked of the server. */
export function plain(text: string, unit: Unit): Plain {
  const found = /^([+-]?\d+(?:\.\d+)?(?:e[+-]?\d+)?)\s*(.*)$/i.exec(text.trim());
  if (!found) return undefined;
  const [, number = "", rest = ""] = found;
  if (!Number.isFinite(Number(number))) return undefined;
  if (rest === "" || rest === symbol(unit)) return "fine";
  const named = rest.slice(1);
  const prefixed = PREFIXES.includes(rest.slice(0, 1));
  if (prefixed && (named === "" || named === symbol(unit)) && !BARE.has(unit)) {
    return "fine";
  }
  const other = unitOf(rest) ?? (prefixed ? unitOf(named) : undefined);
  const [wanted, given] = [NAMES[unit], other && NAMES[other]];
  if (wanted === undefined || given === undefined || wanted === given) return undefined;
  return { problem: `${wanted} is asked for here, but “${rest}” is ${given}` };
}
