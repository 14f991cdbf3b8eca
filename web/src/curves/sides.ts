import type { Strip } from "../api/client";
import type { Curve } from "../api/curves";
import type { Unit } from "../ui/quantity";

export type CurveLook = Extract<NonNullable<Strip["shows"]>, { curve: unknown }>["curve"];
export type Side = CurveLook["side"];

/** What a strip of curves shows; their magnitudes if it does not say. */
export function lookOf(strip: Strip): CurveLook {
  const { shows } = strip;
  return typeof shows === "object" && "curve" in shows ? shows.curve : { side: "magnitude" };
}

/** Decibels of nothing are far below anything drawn. */
const NOTHING = 1e-30;
export const decibels = (ratio: number) => 20 * Math.log10(Math.max(Math.abs(ratio), NOTHING));

export const magnitudes = (curve: Curve) => curve.re.map((re, k) => Math.hypot(re, curve.im[k] ?? 0));

/** An angle within half a turn, degrees. */
export const wrapped = (degrees: number) => degrees - 360 * Math.round(degrees / 360);

/** The values of a curve that a strip draws over frequency. */
export function valuesOf(
  curve: Curve,
  { side, decibels: inDecibels, wrapped: inOneTurn }: CurveLook,
): number[] {
  if (side === "phase") return inOneTurn ? curve.phase.map(wrapped) : curve.phase;
  if (side === "delay") return curve.group_delay;
  const sizes = magnitudes(curve);
  return inDecibels ? sizes.map(decibels) : sizes;
}

/** The unit in which a strip draws a curve. */
export function unitIn(curve: Curve, { side, decibels: inDecibels }: CurveLook): Unit {
  if (side === "phase") return "degree";
  if (side === "delay") return "second";
  return inDecibels ? "decibel" : (curve.unit ?? "one");
}
