import { bandBetween } from "../ui/polyline";

/** A trajectory in short, as `Outline` and tests give it. */
export interface Lines {
  value: ArrayLike<number>;
  low: ArrayLike<number>;
  high: ArrayLike<number>;
}

/**
 * A trajectory as an SVG path: a line where it is slow, a band where it is quick.
 *
 * `height` gives the place, 0 at the bottom to 1, of a value.
 */
export function trajectoryPath(
  outline: Lines,
  width: number,
  top: number,
  bottom: number,
  height: (value: number) => number,
): string {
  const points = outline.value.length;
  if (points === 0) return "";
  const y = (value: number) => bottom - height(value) * (bottom - top);
  const step = Math.max(1, Math.floor(points / width));
  const xs: number[] = [];
  const upper: number[] = [];
  const lower: number[] = [];
  for (let i = 0; i < points; i += step) {
    let low = Number.POSITIVE_INFINITY;
    let high = Number.NEGATIVE_INFINITY;
    for (let k = i; k < Math.min(points, i + step); k++) {
      low = Math.min(low, outline.low[k] ?? 0);
      high = Math.max(high, outline.high[k] ?? 0);
    }
    xs.push((i / Math.max(1, points - 1)) * width);
    upper.push(y(high));
    lower.push(y(low));
  }
  return bandBetween(xs, upper, lower);
}
