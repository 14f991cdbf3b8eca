import type { components } from "../api/schema";

export type Unit = components["schemas"]["Unit"];

const SYMBOLS: Record<Unit, string> = {
  one: "",
  share: "%",
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
  watt_per_second: "W/s",
  volt_second: "Vs",
  kelvin_per_watt: "K/W",
  joule_per_kelvin: "J/K",
  metre: "m",
  square_metre: "m²",
  tesla: "T",
  ampere_per_metre: "A/m",
  decibel: "dB",
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

/** The unit of a symbol that belongs to one alone. */
export function unitOf(text: string): Unit | undefined {
  const units = (Object.keys(SYMBOLS) as Unit[]).filter((unit) => SYMBOLS[unit] === text);
  return text !== "" && units.length === 1 ? units[0] : undefined;
}

/** Units that are never given a prefix. */
export const BARE = new Set<Unit>(["share", "degree", "decibel", "celsius", "per_kelvin", "square_metre"]);

/** The SI prefix fit for values up to `size`: its factor and letter. */
export function prefix(size: number, unit: Unit): [number, string] {
  if (unit === "one" || BARE.has(unit) || !(size > 0)) return [1, ""];
  return PREFIXES.find(([factor]) => size >= factor * 0.9999999) ?? [1e-15, "f"];
}

/** Room in a store, as read: 640 kB, 12.4 MB. */
export function bytes(count: number): string {
  const units = ["B", "kB", "MB", "GB", "TB"];
  const power = count < 1000 ? 0 : Math.min(units.length - 1, Math.floor(Math.log10(count) / 3));
  const size = count / 1000 ** power;
  return `${power === 0 ? size : Number(size.toPrecision(3))}\u2009${units[power]}`;
}

/** A measured value: as `show`, with all its digits, so that those of a column stand under each other. Counts have none. */
export function measured(value: number | null | undefined, unit: Unit, digits = 4): string {
  const counts = unit === "one" && Number.isInteger(value);
  return show(value, unit, digits, !counts);
}

/** A value with SI prefix, thin space and unit, as the server writes it too. */
export function show(value: number | null | undefined, unit: Unit, digits = 4, whole = false): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return "–";
  const joined = (number: string, letter: string) => {
    const name = letter + SYMBOLS[unit];
    return name ? `${number}${unit === "degree" ? "" : "\u2009"}${name}` : number;
  };
  if (value === 0) return joined("0", "");
  if (unit === "share") value *= 100;
  // Rounded before a prefix is chosen: 999.96 V are 1 kV.
  const [mantissa = "0", power] = Math.abs(value)
    .toExponential(digits - 1)
    .split("e");
  const exponent = Number(power);
  const all = mantissa.replace(".", "");
  const figures = whole ? all : all.replace(/0+$/, "");
  const sign = value < 0 ? "−" : "";
  // A ratio such as a power factor reads as 0.98, not as 980 m.
  const ratio = unit === "one" || unit === "share";
  const plain = ratio ? -4 <= exponent && exponent < 6 : BARE.has(unit);
  const group = plain ? 0 : 3 * Math.floor(exponent / 3);
  const found = PREFIXES.find(([factor]) => Math.round(Math.log10(factor)) === group);
  // Per cent take no prefix.
  if (!found || (unit === "share" && !plain)) return joined(`${sign}${placed(figures, 0)}e${exponent}`, "");
  return joined(sign + placed(figures, exponent - group), found[1]);
}

/** Writes figures with the point after `1 + shift` of them. */
function placed(figures: string, shift: number): string {
  const before = 1 + shift;
  if (before <= 0) return `0.${"0".repeat(-before)}${figures}`;
  const whole = figures.padEnd(before, "0").slice(0, before);
  return figures.length > before ? `${whole}.${figures.slice(before)}` : whole;
}
