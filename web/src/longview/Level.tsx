import { colour } from "../ui/colours";
import { columns, type Stretch, smoothed } from "./stretch";
import { useCanvas } from "./use-canvas";

/** Loudness or width over a stretch of the cue, as a filled line; finer where it is drawn closer. */
export function Level({
  of,
  scale,
  reach,
  span: [from, to],
  length,
  height,
}: Stretch & {
  of: "loudness" | "width";
  scale: (value: number) => number;
  reach: number;
}) {
  const ref = useCanvas(
    height,
    (context, width) => {
      const find = columns(length);
      const level = (seconds: number) => {
        const [picture, column] = find(seconds);
        return smoothed(picture[of], column, reach, scale);
      };
      context.clearRect(0, 0, width, height);
      context.fillStyle = colour("level");
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
