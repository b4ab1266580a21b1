/** Moments drawn to the nearest beat or marker. */

import type { Score } from "../api/client";

/** Beats passed at a moment, through the tempo changes. */
export function beatsAt(score: Score, seconds: number): number {
  let beats = 0;
  const changes = [...score.tempo].sort((a, b) => a.time - b.time);
  changes.forEach((change, i) => {
    const from = i === 0 ? 0 : change.time;
    const until = Math.min(seconds, changes[i + 1]?.time ?? seconds);
    if (until > from) beats += ((until - from) * change.bpm) / 60;
  });
  return changes.length === 0 ? seconds * 2 : beats;
}

/** The moment at which so many beats have passed. */
export function secondsAt(score: Score, beats: number): number {
  const changes = [...score.tempo].sort((a, b) => a.time - b.time);
  let passed = 0;
  for (let i = 0; i < changes.length; i++) {
    const change = changes[i];
    if (!change) continue;
    const from = i === 0 ? 0 : change.time;
    const until = changes[i + 1]?.time ?? Number.POSITIVE_INFINITY;
    const here = ((until - from) * change.bpm) / 60;
    if (passed + here >= beats) return from + ((beats - passed) * 60) / change.bpm;
    passed += here;
  }
  return beats / 2;
}

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
