import { symbol, unitOf, type Unit } from "./quantity";

/** What a plain number with a prefix and a unit means, as `quantity` in the core reads it: nothing where only that can tell. */
export type Plain = { value: number } | { problem: string } | undefined;

const FACTORS: Record<string, number> = {
  T: 1e12,
  G: 1e9,
  M: 1e6,
  k: 1e3,
  m: 1e-3,
  u: 1e-6,
  µ: 1e-6,
  μ: 1e-6,
  n: 1e-9,
  p: 1e-12,
  f: 1e-15,
};

/** Reads a number with a unit where there can be no doubt; all else is asked of the server. */
export function plain(text: string, unit: Unit): Plain {
  const found = /^([+-]?\d+(?:\.\d+)?(?:e[+-]?\d+)?)\s*(.*)$/i.exec(text.trim());
  if (!found) return undefined;
  const [, number = "", rest = ""] = found;
  const value = Number(number);
  if (rest === "" || rest === symbol(unit)) return { value };
  const [letter = "", named = ""] = [rest.slice(0, 1), rest.slice(1)];
  const factor = FACTORS[letter];
  if (factor !== undefined && named === symbol(unit) && unit !== "one" && symbol(unit) !== "") {
    return { value: value * factor };
  }
  const other = unitOf(rest) ?? (factor === undefined ? undefined : unitOf(named));
  if (other !== undefined && other !== unit && symbol(unit) !== "" && symbol(unit) !== "%") {
    return { problem: `this is in ${symbol(unit)}, and “${text.trim()}” in ${symbol(other)}` };
  }
  return undefined;
}
