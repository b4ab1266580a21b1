import { useMemo } from "react";
import { ink, usePainted } from "../ui/painted";
import { useMoment } from "./now";
import { NowAndThroughout } from "./OverTime";
import { cell, type Grid, type Packed, unpacked } from "./packed";

function drawCurve(
  context: CanvasRenderingContext2D,
  grid: Grid,
  row: number,
  width: number,
  height: number,
  top: number,
) {
  context.beginPath();
  context.moveTo(0, height);
  for (let r = 0; r < grid.columns; r++) {
    const level = cell(grid, row, r) / 255;
    context.lineTo(((r + 0.5) / grid.columns) * width, height - level * (height - top));
  }
  context.lineTo(width, height);
  context.fillStyle = ink(0.16);
  context.fill();
  context.strokeStyle = ink(0.9);
  context.lineWidth = 0.9;
  context.stroke();
}

/** The spectrum of a source before its filters, now and over the length. */
export function SpectrumPicture({ levels, length }: { levels: Packed; length: number }) {
  const grid = useMemo(() => unpacked(levels), [levels]);
  const moment = useMoment(grid.rows, length);
  const now = usePainted(
    (context, width, height) => drawCurve(context, grid, moment, width, height, 15),
    [grid, moment],
  );
  const throughout = usePainted(
    (context, width, height) => {
      const step = width / grid.rows;
      const tall = height / grid.columns;
      for (let m = 0; m < grid.rows; m++) {
        for (let r = 0; r < grid.columns; r++) {
          const level = cell(grid, m, r) / 255;
          if (level <= 0.08) continue;
          context.fillStyle = ink(level ** 1.8);
          context.fillRect(m * step, height - (r + 1) * tall, step + 0.5, tall + 0.5);
        }
      }
    },
    [grid],
  );
  return (
    <NowAndThroughout
      label="Spectrum of the source"
      now={<canvas ref={now} className="h-full w-full" />}
      throughout={<canvas ref={throughout} className="h-full w-full" />}
    />
  );
}

/** The spectrum of one operator with all that acts on it, small. */
export function SmallSpectrum({
  levels,
  length,
  label,
}: {
  levels: Packed;
  length: number;
  label: string;
}) {
  const grid = useMemo(() => unpacked(levels), [levels]);
  const moment = useMoment(grid.rows, length);
  const ref = usePainted(
    (context, width, height) => drawCurve(context, grid, moment, width, height, 20),
    [grid, moment],
  );
  return (
    <div className="relative h-[50px] border border-line bg-paper" role="img" aria-label={label}>
      <span className="pointer-events-none absolute left-[6px] top-[2px] text-xs text-slate">
        Its spectrum
      </span>
      <canvas ref={ref} className="h-full w-full" />
    </div>
  );
}
