import { closerView } from "../stage/closer-view";
import { longView } from "../stage/long-view";
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
  for (let i = Math.max(0, column - reach); i <= Math.min(values.length - 1, column + reach); i++) {
    sum += scale(values[i] ?? 0);
    count++;
  }
  return sum / count;
}

/** Loudness or width over a stretch of the cue, as a filled line; finer where it is drawn closer. */
export function Level({
  of,
  scale,
  reach,
  span: [from, to],
  length,
  height,
}: {
  of: "loudness" | "width";
  scale: (value: number) => number;
  reach: number;
  span: [number, number];
  length: number;
  height: number;
}) {
  const ref = useCanvas(
    height,
    (context, width) => {
      const near = closerView.known();
      const until = near ? near.start + (near.end - near.start) * near.share : 0;
      const level = (seconds: number) => {
        const closer = near !== null && seconds >= near.start && seconds < until;
        const values = closer ? closerView[of] : longView[of];
        const [start, end] = closer ? [near.start, near.end] : [0, length];
        const column = Math.floor(((seconds - start) / (end - start)) * values.length);
        return smoothed(values, Math.min(values.length - 1, column), reach, scale);
      };
      context.clearRect(0, 0, width, height);
      context.fillStyle = "#738690";
      context.beginPath();
      context.moveTo(0, height - 1);
      for (let x = 0; x <= width; x++) {
        context.lineTo(x, height - 1 - level(from + (x / width) * (to - from)) * (height - 4));
      }
      context.lineTo(width, height - 1);
      context.fill();
    },
    `${from} ${to} ${length}`,
  );
  return <canvas ref={ref} className="block w-full" style={{ height }} aria-hidden />;
}
