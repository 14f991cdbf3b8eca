import type { components } from "../api/schema";

export type Unit = components["schemas"]["Unit"];

const SYMBOLS: Record<Unit, string> = {
  one: "",
  volt: "V",
  ampere: "A",
  ohm: "Ω",
  siemens: "S",
  farad: "F",
  henry: "H",
  second: "s",
  hertz: "Hz",
  watt: "W",
  volt_ampere: "VA",
  joule: "J",
  coulomb: "C",
  degree: "°",
  kelvin: "K",
  celsius: "°C",
  per_kelvin: "1/K",
  volt_per_second: "V/s",
  ampere_per_second: "A/s",
  kelvin_per_watt: "K/W",
  joule_per_kelvin: "J/K",
  metre: "m",
  square_metre: "m²",
  tesla: "T",
  ampere_per_metre: "A/m",
};
const PREFIXES: [number, string][] = [
  [1e12, "T"],
  [1e9, "G"],
  [1e6, "M"],
  [1e3, "k"],
  [1, ""],
  [1e-3, "m"],
  [1e-6, "µ"],
  [1e-9, "n"],
  [1e-12, "p"],
  [1e-15, "f"],
];

export function symbol(unit: Unit): string {
  return SYMBOLS[unit];
}

/** The SI prefix fit for values up to `size`: its factor and letter. */
export function prefix(size: number, unit: Unit): [number, string] {
  if (unit === "one" || unit === "degree" || !(size > 0)) return [1, ""];
  return PREFIXES.find(([factor]) => size >= factor * 0.9999999) ?? [1e-15, "f"];
}

/** A value with SI prefix, thin space and unit. */
export function show(value: number | null | undefined, unit: Unit, digits = 4): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return "–";
  if (value === 0) return `0\u2009${SYMBOLS[unit]}`.trim();
  const [factor, letter] = prefix(Math.abs(value), unit);
  const number = String(Number((value / factor).toPrecision(digits))).replace("-", "−");
  return `${number}\u2009${letter}${SYMBOLS[unit]}`.trim();
}
