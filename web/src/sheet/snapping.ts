/** Moments drawn to the nearest beat or marker. */

import type { Score } from "../api/client";
import { beatsAt, secondsAt } from "../document/tempo";

/**
 * A moment, or the marker or beat that is nearest to it.
 *
 * `grid` is in beats; `reach` is how far away, in seconds, a marker still draws.
 */
export function snapped(score: Score, seconds: number, grid: number | null, reach: number): number {
  const marker = score.markers
    .map((m) => m.time)
    .sort((a, b) => Math.abs(a - seconds) - Math.abs(b - seconds))[0];
  if (grid === null) return seconds;
  if (marker !== undefined && Math.abs(marker - seconds) <= reach) return marker;
  const beat = Math.round(beatsAt(score, seconds) / grid) * grid;
  return secondsAt(score, beat);
}
