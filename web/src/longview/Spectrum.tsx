import { closerView } from "../stage/closer-view";
import { COLUMNS, longView, ROWS } from "../stage/long-view";
import { useCanvas } from "./use-canvas";

/** The spectrum of a stretch of the cue, from the whole picture and what is drawn closer. */
export function Spectrum({
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
      context.imageSmoothingEnabled = true;
      const left = (from / length) * COLUMNS;
      const across = ((to - from) / length) * COLUMNS;
      context.drawImage(longView.canvas, left, 0, across, ROWS, 0, 0, width, height);
      const x = (seconds: number) => ((seconds - from) / (to - from)) * width;
      if (longView.fine < COLUMNS) {
        // A line under it says how far it is exact; the rest is as dark as it will be.
        const exact = x((longView.fine / COLUMNS) * length);
        context.fillStyle = "#4a6470";
        context.fillRect(0, height - 2, Math.max(0, exact), 2);
      }
      const near = closerView.known();
      if (near && near.end > from && near.start < to) {
        const begin = x(near.start);
        const end = x(near.start + (near.end - near.start) * near.share);
        context.drawImage(
          closerView.canvas,
          0,
          0,
          near.columns,
          ROWS,
          begin,
          0,
          end - begin,
          height,
        );
      }
    },
    `${from} ${to} ${length}`,
  );
  return (
    <canvas
      ref={ref}
      className="block w-full"
      style={{ height }}
      data-testid="picture"
      aria-hidden
    />
  );
}
