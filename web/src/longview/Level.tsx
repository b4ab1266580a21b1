import { COLUMNS } from "../stage/long-view";
import { useCanvas } from "./use-canvas";

/** The mean of what `scale` makes of the columns around one, so that beating does not flicker. */
function smoothed(
  values: Float32Array,
  column: number,
  reach: number,
  scale: (v: number) => number,
) {
  let sum = 0;
  let count = 0;
  for (let i = Math.max(0, column - reach); i <= Math.min(COLUMNS - 1, column + reach); i++) {
    sum += scale(values[i] ?? 0);
    count++;
  }
  return sum / count;
}

/** Loudness or width over a stretch of the cue, as a filled line. */
export function Level({
  values,
  scale,
  reach,
  span: [from, to],
  length,
  height,
}: {
  values: Float32Array;
  scale: (value: number) => number;
  reach: number;
  span: [number, number];
  length: number;
  height: number;
}) {
  const ref = useCanvas(
    height,
    (context, width) => {
      context.clearRect(0, 0, width, height);
      context.fillStyle = "#738690";
      context.beginPath();
      context.moveTo(0, height - 1);
      for (let x = 0; x <= width; x++) {
        const seconds = from + (x / width) * (to - from);
        const column = Math.min(COLUMNS - 1, Math.floor((seconds / length) * COLUMNS));
        context.lineTo(x, height - 1 - smoothed(values, column, reach, scale) * (height - 4));
      }
      context.lineTo(width, height - 1);
      context.fill();
    },
    `${from} ${to} ${length}`,
  );
  return <canvas ref={ref} className="block w-full" style={{ height }} aria-hidden />;
}
