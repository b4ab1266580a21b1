/** Levels of layers and of the whole, set so that they lie at a target over the length. */

import type { Sound } from "../api/client";
import { type Operation, valueAt } from "./patch";

/** Mean level of a layer in dB: where a pad of four notes lies among others. */
export const LAYER_TARGET = -25;
/** Integrated loudness of a sound in LUFS: the target of EBU R 128. */
export const SOUND_TARGET = -23;
/** Levels below this count as silence, in dB. */
const SILENT = -60;

/** The mean of levels in dB, by power, while something sounds; null where nothing does. */
export function meanLevel(levels: readonly (number | null)[]): number | null {
  const heard = levels.filter((level) => level !== null && level > SILENT) as number[];
  if (heard.length === 0) return null;
  const power = heard.reduce((sum, level) => sum + 10 ** (level / 10), 0) / heard.length;
  return 10 * Math.log10(power);
}

/** The edit that brings what lies at `found` to `target`, as far as the level's range allows. */
export function levelled(
  sound: Sound,
  pointer: string,
  range: { low: number; high: number },
  found: number,
  target: number,
): { operations: Operation[]; level: number; reached: number } {
  const now = Number(valueAt(sound, pointer) ?? 0);
  const wanted = Math.round((now + target - found) * 10) / 10;
  const level = Math.min(range.high, Math.max(range.low, wanted));
  return {
    operations: [{ op: "add", path: pointer, value: level }],
    level,
    reached: found + level - now,
  };
}
