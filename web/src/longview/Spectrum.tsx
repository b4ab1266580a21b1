import { closerView } from "../spectrogram/detail-view";
import { COLUMNS, longView, ROWS } from "../spectrogram/long-view";
import { colour } from "../ui/colours";
import type { Stretch } from "./stretch";
import { useCanvas } from "./use-canvas";

/** How much is seen where, over a stretch of the cue: by frequency, or by place from left to right. */
export function Spectrum({
  by,
  span: [from, to],
  length,
  height,
}: Stretch & { by: "frequency" | "place" }) {
  const ref = useCanvas(
    height,
    (context, width) => {
      context.imageSmoothingEnabled = true;
      const left = (from / length) * COLUMNS;
      const across = ((to - from) / length) * COLUMNS;
      const placed = by === "place";
      const whole = placed ? longView.stereo.canvas : longView.canvas;
      const rows = placed ? longView.stereo.places : ROWS;
      if (rows === 0) {
        context.clearRect(0, 0, width, height); // nothing of this sound has been seen yet
        return;
      }
      context.drawImage(whole, left, 0, across, rows, 0, 0, width, height);
      const x = (seconds: number) => ((seconds - from) / (to - from)) * width;
      if (longView.fine < COLUMNS) {
        // A line under it says how far it is exact; the rest is as dark as it will be.
        const exact = x((longView.fine / COLUMNS) * length);
        context.fillStyle = colour("slate");
        context.fillRect(0, height - 2, Math.max(0, exact), 2);
      }
      const near = closerView.known();
      if (near && near.end > from && near.start < to) {
        const begin = x(near.start);
        const end = x(near.start + (near.end - near.start) * near.fraction);
        context.drawImage(
          placed ? closerView.stereo.canvas : closerView.canvas,
          0,
          0,
          near.columns,
          rows,
          begin,
          0,
          end - begin,
          height,
        );
      }
    },
    `${by} ${from} ${to} ${length}`,
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
