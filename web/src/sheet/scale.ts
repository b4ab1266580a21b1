/** The height of a value in a row. */

import type { Value } from "../api/client";
import type { Parameter } from "../document/catalogue";
import { atFraction, fraction, range } from "../document/values";

export interface RowScale {
  /** Pixels from the top. */
  y: (value: number) => number;
  /** The value at so many pixels from the top. */
  value: (y: number) => number;
  /** A value's place in the whole range, 0 to 1. */
  fraction: (value: number) => number;
  low: number;
  high: number;
}

const AIR = 0.14;
const LEAST = 0.002;

/**
 * How values of a parameter lie in a row of `height` pixels.
 *
 * A closed row looks closely at the part of the range that is travelled; an open one shows all.
 */
export function rowScale(
  parameter: Parameter,
  value: Value,
  height: number,
  travelled: [number, number] | null,
): RowScale {
  const { low, high } = range(parameter, value);
  const at = (v: number) => fraction(parameter, v, low, high);
  let [bottom, top] = [0, 1];
  if (travelled) {
    const [from, to] = travelled.map(at) as [number, number];
    const air = Math.max(LEAST / 2, (to - from) * AIR);
    [bottom, top] = [from - air, to + air];
  }
  const inner = height - 6;
  return {
    y: (v) => 3 + inner * (1 - (at(v) - bottom) / (top - bottom)),
    value: (y) => atFraction(parameter, bottom + (1 - (y - 3) / inner) * (top - bottom), low, high),
    fraction: at,
    low,
    high,
  };
}

/** A value rounded to what is worth distinguishing. */
export function worth(value: number): number {
  if (value === 0) return 0;
  const digits = Math.min(6, Math.max(0, 3 - Math.floor(Math.log10(Math.abs(value)))));
  return Number(value.toFixed(digits));
}
