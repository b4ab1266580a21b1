/** Where ruler lines stand for a length: round steps, no closer than they can be read. */

const STEPS = [0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600];

/** Round moments inside a stretch, no closer than can be read. */
export function rulerTimes(length: number, most = 9, from = 0): number[] {
  const step = STEPS.find((candidate) => length / candidate <= most) ?? 3600;
  const times: number[] = [];
  const first = Math.ceil(from / step - 1e-6);
  for (let i = first; i * step < from + length - step * 0.25; i++) {
    times.push(Number((i * step).toFixed(3)));
  }
  return times;
}

/**
 * A dragged stretch in order, kept in the length; null if it was hardly a drag.
 *
 * `seen` is how much of the length is in view.
 */
export function dragged(
  from: number,
  to: number,
  length: number,
  seen = length,
): [number, number] | null {
  const low = Math.max(0, Math.min(from, to));
  const high = Math.min(length, Math.max(from, to));
  return high - low < Math.max(0.25, seen * 0.004) ? null : [low, high];
}
