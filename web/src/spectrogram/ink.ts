/** Levels as ink on paper: the darker the louder. */

import { type Colour, channels } from "../ui/colours";

const STOPS: readonly (readonly [at: number, Colour])[] = [
  [0.0, "paper"],
  [0.34, "level-1"],
  [0.58, "level-2"],
  [0.8, "level-3"],
  [1.0, "level-4"],
];
/** Levels below this byte (82 dB under full scale) stay paper; from `LOUD` on all is ink. */
export const QUIET = 38;
const LOUD = 186;

let table: Uint8ClampedArray | null = null;

/** Ink for each level, made once: the darker the louder. */
export function inkTable(): Uint8ClampedArray {
  table ??= made();
  return table;
}

function made(): Uint8ClampedArray {
  const table = new Uint8ClampedArray(256 * 4);
  const stops = STOPS.map(([at, name]) => [at, channels(name)] as const);
  for (let level = 0; level < 256; level++) {
    const x = Math.min(1, Math.max(0, (level - QUIET) / (LOUD - QUIET)));
    const next = Math.max(
      1,
      stops.findIndex(([at]) => at >= x),
    );
    const before = stops[next - 1];
    const after = stops[next];
    if (!before || !after) continue;
    const part = (x - before[0]) / (after[0] - before[0]);
    table.set(
      before[1].map((from, c) => from + ((after[1][c] ?? 0) - from) * part),
      level * 4,
    );
    table[level * 4 + 3] = 255;
  }
  return table;
}

/** The colour of a level, 0 to 255. */
export function inkOf(level: number): string {
  const at = 4 * Math.round(Math.min(255, Math.max(0, level)));
  return `rgb(${inkTable()
    .subarray(at, at + 3)
    .join(" ")})`;
}

/** Paint a tile's levels where its columns lie; `level` gives that of a column and row from the top. */
export function paintColumns(
  context: CanvasRenderingContext2D,
  tile: { first: number; span: number; columns: number },
  rows: number,
  level: (column: number, row: number) => number,
) {
  const width = tile.columns * tile.span;
  if (width === 0) return;
  const image = context.createImageData(width, rows);
  const inks = inkTable();
  for (let column = 0; column < tile.columns; column++) {
    for (let row = 0; row < rows; row++) {
      const ink = level(column, row) * 4;
      for (let x = column * tile.span; x < (column + 1) * tile.span; x++) {
        const at = (row * width + x) * 4;
        image.data[at] = inks[ink] ?? 0;
        image.data[at + 1] = inks[ink + 1] ?? 0;
        image.data[at + 2] = inks[ink + 2] ?? 0;
        image.data[at + 3] = 255;
      }
    }
  }
  context.putImageData(image, tile.first, 0);
}
