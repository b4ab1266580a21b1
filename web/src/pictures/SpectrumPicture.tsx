import { useMemo } from "react";
import { channels } from "../ui/colours";
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

/** All that a filter lets through would be a black wall: its picture is lighter. */
const RESPONSE_INK = 0.5;
/** Levels below this fraction stay paper. */
const PAPER = 0.08;

/** Levels as a picture of a pixel each: moments from left to right, lows at the bottom. */
function imageOf(grid: Grid, strength: number): HTMLCanvasElement {
  const canvas = document.createElement("canvas");
  canvas.width = Math.max(1, grid.rows);
  canvas.height = Math.max(1, grid.columns);
  const context = canvas.getContext("2d");
  const pixels = context?.createImageData(canvas.width, canvas.height);
  if (!context || !pixels) return canvas;
  const colour = channels("ink");
  for (let m = 0; m < grid.rows; m++) {
    for (let r = 0; r < grid.columns; r++) {
      const level = cell(grid, m, r) / 255;
      const at = 4 * ((grid.columns - 1 - r) * canvas.width + m);
      pixels.data.set(colour, at);
      pixels.data[at + 3] = level <= PAPER ? 0 : 255 * strength * level ** 1.8;
    }
  }
  context.putImageData(pixels, 0, 0);
  return canvas;
}

/** The spectrum of a source before its filters, or a filter's response, now and over the length. */
export function SpectrumPicture({
  levels,
  length,
  label = "Spectrum of the source",
  zero,
}: {
  levels: Packed;
  length: number;
  label?: string;
  /** The fraction of the height at which a line is drawn: where nothing is changed. */
  zero?: number;
}) {
  const grid = useMemo(() => unpacked(levels), [levels]);
  const moment = useMoment(grid.rows, length);
  const now = usePainted(
    (context, width, height) => {
      drawCurve(context, grid, moment, width, height, 15);
      if (zero === undefined) return;
      context.fillStyle = ink(0.35);
      context.fillRect(0, height - zero * (height - 15), width, 0.75);
    },
    [grid, moment, zero],
  );
  const image = useMemo(() => imageOf(grid, zero === undefined ? 1 : RESPONSE_INK), [grid, zero]);
  const throughout = usePainted(
    (context, width, height) => {
      context.imageSmoothingEnabled = zero !== undefined;
      context.drawImage(image, 0, 0, width, height);
    },
    [image, zero],
  );
  return (
    <NowAndThroughout
      label={label}
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
        Spectrum
      </span>
      <canvas ref={ref} className="h-full w-full" />
    </div>
  );
}
