/** Trajectories as paths across the view. */

import type { Outline } from "../live/socket";
import { bandBetween } from "../ui/polyline";
import type { Span } from "./view";

/** Values at points; null or NaN where there is none. */
type Line = ArrayLike<number | null>;

/** Points of an outline, evenly from `start` to `end` seconds. */
export interface Stretch {
  start: number;
  end: number;
}

function pieces(count: number, { start, end }: Stretch, view: Span): [number, number] {
  const step = (end - start) / count;
  const first = Math.max(0, Math.floor((view[0] - start) / step) - 1);
  const last = Math.min(count - 1, Math.ceil((view[1] - start) / step) + 1);
  return [first, last];
}

/**
 * A trajectory as an SVG path across a view of `width`: a line where slow, a band where quick.
 *
 * `y` gives the height on the screen of a value.
 */
export function bandPath(
  low: Line,
  high: Line,
  stretch: Stretch,
  view: Span,
  width: number,
  y: (value: number) => number,
): string {
  const count = low.length;
  if (count === 0) return "";
  const step = (stretch.end - stretch.start) / count;
  const [first, last] = pieces(count, stretch, view);
  const scale = width / (view[1] - view[0]);
  let path = "";
  let xs: number[] = [];
  let upper: number[] = [];
  let lower: number[] = [];
  const close = () => {
    if (xs.length > 0) path += bandBetween(xs, upper, lower);
    xs = [];
    upper = [];
    lower = [];
  };
  for (let i = first; i <= last; i++) {
    const [a, b] = [low[i], high[i]];
    if (a === null || a === undefined || b === null || b === undefined || Number.isNaN(a)) close();
    else {
      xs.push((stretch.start + i * step - view[0]) * scale);
      upper.push(y(b));
      lower.push(a === b ? (upper.at(-1) ?? 0) : y(a));
    }
  }
  close();
  return path;
}

/** The values of an outline at a moment: its middle, or nothing outside. */
export function valueAtMoment(
  values: Line,
  { start, end }: Stretch,
  seconds: number,
): number | null {
  if (values.length === 0 || seconds < start || seconds > end) return null;
  const index = Math.floor(((seconds - start) / (end - start)) * values.length);
  return values[Math.min(values.length - 1, index)] ?? null;
}

/** The lowest and highest value of an outline. */
export function extent(outline: Outline): [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  for (const value of outline.low) low = Math.min(low, value);
  for (const value of outline.high) high = Math.max(high, value);
  return [low, high];
}
