/** A stretch of the cue as pictures show it, and where its moments are found in what was drawn. */

import { type CloserView, closerView } from "../spectrogram/detail-view";
import { type LongViewPicture, longView } from "../spectrogram/long-view";

/** A stretch in seconds, of a cue so long, drawn so many pixels high. */
export interface Stretch {
  span: [number, number];
  length: number;
  height: number;
}

/** Finds the picture that shows a moment best, and the moment's column there. */
export function columns(
  length: number,
): (seconds: number) => [LongViewPicture | CloserView, number] {
  const near = closerView.known();
  const until = near ? near.start + (near.end - near.start) * near.fraction : 0;
  return (seconds) => {
    const closer = near !== null && seconds >= near.start && seconds < until;
    const picture = closer ? closerView : longView;
    const [start, end] = closer ? [near.start, near.end] : [0, length];
    const count = picture.loudness.length;
    const column = Math.floor(((seconds - start) / (end - start)) * count);
    return [picture, Math.min(count - 1, Math.max(0, column))];
  };
}

/** The mean of what `scale` makes of the columns around one, so that beating does not flicker. */
export function smoothed(
  values: Float32Array,
  column: number,
  reach: number,
  scale: (v: number) => number,
): number {
  let sum = 0;
  let count = 0;
  for (let i = Math.max(0, column - reach); i <= Math.min(values.length - 1, column + reach); i++) {
    sum += scale(values[i] ?? 0);
    count++;
  }
  return sum / count;
}
