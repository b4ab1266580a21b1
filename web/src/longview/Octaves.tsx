import { closerView } from "../stage/closer-view";
import { inkOf, QUIET } from "../stage/ink";
import { longView } from "../stage/long-view";
import type { StereoImages } from "../stage/stereo-images";
import { useCanvas } from "./use-canvas";

/** Columns to either side that a width is the mean over, so that beating does not flicker. */
const REACH = 8;
/** What a ribbon leaves of its lane, and how thin it is at least, in pixels. */
const AIR = 2;
const THIN = 1;
/** Correlations below this are marked: in mono something is cancelled. */
export const AGAINST = -0.1;
/** How far above the paper's level a mark is plain to see. */
const PLAIN = 90;
const WARN = "#8a2f12";

/** Where a moment is found: the images that show it best, and its column there. */
export function imagesAt(seconds: number, length: number): [StereoImages, number] {
  const near = closerView.known();
  const closer =
    near !== null &&
    seconds >= near.start &&
    seconds < near.start + (near.end - near.start) * near.share;
  const images = closer ? closerView.stereo : longView.stereo;
  const [start, end] = closer ? [near.start, near.end] : [0, length];
  const column = Math.floor(((seconds - start) / (end - start)) * images.columns);
  return [images, Math.min(images.columns - 1, Math.max(0, column))];
}

/** The middle of an octave's lane, 0 at the top to 1; the lowest is at the bottom. */
export function laneOf(octave: number, octaves: number): number {
  return 1 - (octave + 0.5) / octaves;
}

/**
 * How wide each octave is: a ribbon as thick as its width, as dark as its level. It fills its lane
 * where the sides have nothing in common, and turns red where they cancel in mono.
 */
export function Octaves({
  span: [from, to],
  length,
  height,
}: {
  span: [number, number];
  length: number;
  height: number;
}) {
  const ref = useCanvas(
    height,
    (context, width) => {
      context.fillStyle = "#ecf1f2";
      context.fillRect(0, 0, width, height);
      for (let x = 0; x < width; x++) {
        const [images, column] = imagesAt(from + ((x + 0.5) / width) * (to - from), length);
        const lanes = images.octaves.length;
        const lane = height / Math.max(1, lanes) - AIR;
        for (let octave = 0; octave < lanes; octave++) {
          const level = images.level(column, octave, REACH);
          if (level <= QUIET) continue;
          const against = images.correlation(column, octave, REACH) < AGAINST;
          const thick = Math.max(THIN, Math.min(1, images.width(column, octave, REACH)) * lane);
          context.globalAlpha = against ? Math.min(1, (level - QUIET) / PLAIN) : 1;
          context.fillStyle = against ? WARN : inkOf(level);
          context.fillRect(x, laneOf(octave, lanes) * height - thick / 2, 1, thick);
        }
      }
      context.globalAlpha = 1;
    },
    `${from} ${to} ${length}`,
  );
  return (
    <canvas
      ref={ref}
      className="block w-full"
      style={{ height }}
      data-testid="octaves"
      aria-hidden
    />
  );
}
