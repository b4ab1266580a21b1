import { inkOf, QUIET } from "../spectrogram/ink";
import { colour } from "../ui/colours";
import { columns, type Stretch } from "./stretch";
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

/** The middle of an octave's lane, 0 at the top to 1; the lowest is at the bottom. */
export function laneOf(octave: number, octaves: number): number {
  return 1 - (octave + 0.5) / octaves;
}

/**
 * How wide each octave is: a ribbon as thick as its width, as dark as its level. It fills its lane
 * where the sides have nothing in common, and turns red where they cancel in mono.
 */
export function Octaves({ span: [from, to], length, height }: Stretch) {
  const ref = useCanvas(
    height,
    (context, width) => {
      const find = columns(length);
      context.fillStyle = colour("paper");
      context.fillRect(0, 0, width, height);
      for (let x = 0; x < width; x++) {
        const [{ stereo: images }, column] = find(from + ((x + 0.5) / width) * (to - from));
        const lanes = images.octaves.length;
        const lane = height / Math.max(1, lanes) - AIR;
        for (let octave = 0; octave < lanes; octave++) {
          const level = images.level(column, octave, REACH);
          if (level <= QUIET) continue;
          const against = images.correlation(column, octave, REACH) < AGAINST;
          const thick = Math.max(THIN, Math.min(1, images.width(column, octave, REACH)) * lane);
          context.globalAlpha = against ? Math.min(1, (level - QUIET) / PLAIN) : 1;
          context.fillStyle = against ? colour("warn") : inkOf(level);
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
