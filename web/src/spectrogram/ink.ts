/** Levels as ink on paper: the darker the louder. */

export const PAPER = [236, 241, 242] as const;
const STOPS: readonly (readonly [number, readonly [number, number, number]])[] = [
  [0.0, PAPER],
  [0.34, [204, 219, 225]],
  [0.58, [120, 158, 176]],
  [0.8, [38, 86, 112]],
  [1.0, [10, 26, 36]],
];
/** Levels below this byte (82 dB under full scale) stay paper; from `LOUD` on all is ink. */
export const QUIET = 38;
const LOUD = 186;

/** Ink for each level: the darker the louder. */
export function inkTable(): Uint8ClampedArray {
  const table = new Uint8ClampedArray(256 * 4);
  for (let level = 0; level < 256; level++) {
    const x = Math.max(0, (level - QUIET) / (LOUD - QUIET));
    let i = 1;
    while (i < STOPS.length - 1 && x > (STOPS[i]?.[0] ?? 1)) i++;
    const [from, a] = STOPS[i - 1] ?? STOPS[0] ?? [0, PAPER];
    const [to, b] = STOPS[i] ?? [1, PAPER];
    const part = Math.min(1, Math.max(0, (x - from) / (to - from)));
    for (let c = 0; c < 3; c++) {
      table[level * 4 + c] = (a[c] ?? 0) + ((b[c] ?? 0) - (a[c] ?? 0)) * part;
    }
    table[level * 4 + 3] = 255;
  }
  return table;
}

const INK = inkTable();

/** The colour of a level, 0 to 255. */
export function inkOf(level: number): string {
  const at = 4 * Math.round(Math.min(255, Math.max(0, level)));
  return `rgb(${INK[at]} ${INK[at + 1]} ${INK[at + 2]})`;
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
  for (let column = 0; column < tile.columns; column++) {
    for (let row = 0; row < rows; row++) {
      const ink = level(column, row) * 4;
      for (let x = column * tile.span; x < (column + 1) * tile.span; x++) {
        const at = (row * width + x) * 4;
        image.data[at] = INK[ink] ?? 0;
        image.data[at + 1] = INK[ink + 1] ?? 0;
        image.data[at + 2] = INK[ink + 2] ?? 0;
        image.data[at + 3] = 255;
      }
    }
  }
  context.putImageData(image, tile.first, 0);
}
