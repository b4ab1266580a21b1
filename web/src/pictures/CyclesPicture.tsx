import { useMemo } from "react";
import { ink, usePainted } from "../ui/painted";
import { useMoment } from "./now";
import { NowAndThroughout } from "./OverTime";
import { cell, type Grid, type Packed, unpacked } from "./packed";

/** Trace a cycle of values from -127 to 127 around a middle line. */
export function trace(
  context: CanvasRenderingContext2D,
  grid: Grid,
  row: number,
  left: number,
  width: number,
  middle: number,
  reach: number,
) {
  context.beginPath();
  for (let i = 0; i < grid.columns; i++) {
    const x = left + (i / (grid.columns - 1)) * width;
    const y = middle - (cell(grid, row, i) / 127) * reach;
    if (i === 0) context.moveTo(x, y);
    else context.lineTo(x, y);
  }
  context.stroke();
}

const SHOWN = 32;

/** The cycle that is read, now and over the length. */
export function CyclesPicture({ cycles, length }: { cycles: Packed; length: number }) {
  const grid = useMemo(() => unpacked(cycles), [cycles]);
  const moment = useMoment(grid.rows, length);
  const now = usePainted(
    (context, width, height) => {
      context.fillStyle = ink(0.12);
      context.fillRect(0, height / 2 + 5, width, 1);
      context.strokeStyle = ink(0.95);
      context.lineWidth = 1;
      trace(context, grid, moment, 4, width - 8, height / 2 + 5, height / 2 - 14);
    },
    [grid, moment],
  );
  const throughout = usePainted(
    (context, width, height) => {
      const every = Math.max(1, Math.round(grid.rows / SHOWN));
      const step = width / (grid.rows / every);
      context.lineWidth = 0.8;
      for (let m = 0; m < grid.rows; m += every) {
        context.strokeStyle = ink(0.75);
        const left = (m / every) * step + 2;
        trace(context, grid, m, left, step - 5, height / 2 + 5, height / 2 - 18);
      }
    },
    [grid],
  );
  return (
    <NowAndThroughout
      label="The cycle that is read"
      now={<canvas ref={now} className="h-full w-full" />}
      throughout={<canvas ref={throughout} className="h-full w-full" />}
    />
  );
}
