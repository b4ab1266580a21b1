/** Where ruler lines stand for a length: round steps, no closer than they can be read. */

const STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600];

export function rulerTimes(length: number, most = 9): number[] {
  const step = STEPS.find((candidate) => length / candidate <= most) ?? 3600;
  const times: number[] = [];
  for (let at = 0; at < length - step * 0.25; at += step) times.push(at);
  return times;
}

/** A dragged span in order, kept in the length; null if it was hardly a drag. */
export function dragged(from: number, to: number, length: number): [number, number] | null {
  const low = Math.max(0, Math.min(from, to));
  const high = Math.min(length, Math.max(from, to));
  return high - low < Math.max(0.25, length * 0.004) ? null : [low, high];
}
