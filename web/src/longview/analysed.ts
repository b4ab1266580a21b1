/** The spectrum that is heard now, on the long view's frequency axis, and its held peaks. */

/** Decibels under full scale at the middle line, and at the edge. */
export const QUIET = -84;
export const LOUD = -6;
/**
 * What a full-scale sine is short of 0 dB in the browser's spectrum: its Blackman window lets
 * through 0.42, and half of that lies below zero (Web Audio API, AnalyserNode).
 */
const WINDOW_DB = -20 * Math.log10(0.42 / 2);
/** How long a peak is held, and how fast it falls afterwards. */
const HELD_MS = 1500;
const FALL_DB_PER_MS = 0.012;

export interface Axis {
  rows: number;
  low: number;
  high: number;
}

/** The frequency at the middle of a row, counted from the lowest. */
export function hertzOf(row: number, { rows, low, high }: Axis): number {
  return low * (high / low) ** ((row + 0.5) / rows);
}

/**
 * The level of each row in dB under a full-scale sine, from those of equally wide bins: the
 * strongest bin of a row, or between two bins where rows are narrower than bins.
 */
export function levelsOf(bins: Float32Array, binHertz: number, axis: Axis): Float32Array {
  const levels = new Float32Array(axis.rows);
  const half = (axis.high / axis.low) ** (0.5 / axis.rows);
  for (let row = 0; row < axis.rows; row++) {
    const middle = hertzOf(row, axis) / binHertz;
    const first = Math.ceil(middle / half);
    const last = Math.floor(middle * half);
    let level = Number.NEGATIVE_INFINITY;
    for (let bin = first; bin <= last; bin++) level = Math.max(level, bins[bin] ?? level);
    if (first > last) {
      const before = Math.floor(middle);
      const none = Number.NEGATIVE_INFINITY;
      const [a, b] = [bins[before] ?? none, bins[before + 1] ?? none];
      level = Math.max(a, QUIET - WINDOW_DB) * (before + 1 - middle);
      level += Math.max(b, QUIET - WINDOW_DB) * (middle - before);
    }
    levels[row] = Math.max(QUIET, level + WINDOW_DB);
  }
  return levels;
}

/** How far from the middle line a level reaches, 0 to 1. */
export function reach(level: number): number {
  return Math.min(1, Math.max(0, (level - QUIET) / (LOUD - QUIET)));
}

/** The highest levels lately, each held for a while before it falls. */
export class Peaks {
  readonly levels: Float32Array;
  private readonly since: Float64Array;

  constructor(rows: number) {
    this.levels = new Float32Array(rows).fill(QUIET);
    this.since = new Float64Array(rows);
  }

  /** Take in levels at a time in ms, some ms after the ones before. */
  take(levels: Float32Array, now: number, passed: number) {
    for (let row = 0; row < this.levels.length; row++) {
      const level = levels[row] ?? QUIET;
      const held = this.levels[row] ?? QUIET;
      if (level >= held) {
        this.levels[row] = level;
        this.since[row] = now;
      } else if (now - (this.since[row] ?? 0) > HELD_MS) {
        this.levels[row] = Math.max(level, held - FALL_DB_PER_MS * passed);
      }
    }
  }
}
