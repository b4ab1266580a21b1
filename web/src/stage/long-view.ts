/** The long view's picture: levels, loudness and width by column, drawn as they arrive. */

import type { TileHeader } from "./packets";

export const COLUMNS = 1200;
export const ROWS = 224;
const PAPER = [236, 241, 242] as const;
const STOPS: readonly (readonly [number, readonly [number, number, number]])[] = [
  [0.0, PAPER],
  [0.34, [204, 219, 225]],
  [0.58, [120, 158, 176]],
  [0.8, [38, 86, 112]],
  [1.0, [10, 26, 36]],
];
/** Levels below this byte (82 dB under full scale) stay paper; from `LOUD` on all is ink. */
const QUIET = 38;
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

/** Paint a tile's levels where its columns lie, the lowest row at the bottom. */
export function paintTile(
  context: CanvasRenderingContext2D,
  header: TileHeader,
  levels: Uint8Array,
) {
  const width = header.columns * header.span;
  if (width === 0) return;
  const image = context.createImageData(width, ROWS);
  for (let column = 0; column < header.columns; column++) {
    for (let row = 0; row < header.rows; row++) {
      const level = levels[column * header.rows + row] ?? 0;
      const y = header.rows - 1 - row;
      for (let x = column * header.span; x < (column + 1) * header.span; x++) {
        const at = (y * width + x) * 4;
        image.data[at] = INK[level * 4] ?? 0;
        image.data[at + 1] = INK[level * 4 + 1] ?? 0;
        image.data[at + 2] = INK[level * 4 + 2] ?? 0;
        image.data[at + 3] = 255;
      }
    }
  }
  context.putImageData(image, header.first, 0);
}

/** How many columns in a row, from the start, are exact. */
export class LongViewPicture {
  readonly loudness = new Float32Array(COLUMNS).fill(Number.NEGATIVE_INFINITY);
  readonly width = new Float32Array(COLUMNS);
  low = 27.5;
  high = 16_000;
  fine = 0;
  revision = 0;
  begun = 0;
  private readonly listeners = new Set<() => void>();
  private surface: HTMLCanvasElement | null = null;

  /** The picture in its own resolution, to be scaled to the screen. */
  get canvas(): HTMLCanvasElement {
    if (!this.surface) {
      this.surface = document.createElement("canvas");
      this.surface.width = COLUMNS;
      this.surface.height = ROWS;
      this.blank();
    }
    return this.surface;
  }

  private blank() {
    const context = this.surface?.getContext("2d");
    if (!context) return;
    context.fillStyle = `rgb(${PAPER.join(" ")})`;
    context.fillRect(0, 0, COLUMNS, ROWS);
  }

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => {
      this.listeners.delete(listener);
    };
  };

  changed() {
    for (const listener of this.listeners) listener();
  }

  clear() {
    this.blank();
    this.loudness.fill(Number.NEGATIVE_INFINITY);
    this.width.fill(0);
    this.fine = 0;
    this.changed();
  }

  /** A new state is being drawn: what is shown stays until it is drawn over. */
  begin(revision: number) {
    this.revision = revision;
    this.fine = 0;
    this.begun = performance.now();
    this.changed();
  }

  take(header: TileHeader, levels: Uint8Array) {
    if (header.revision !== this.revision) return;
    this.low = header.low;
    this.high = header.high;
    this.paint(header, levels);
    for (let i = 0; i < header.columns; i++) {
      const from = header.first + i * header.span;
      this.loudness.fill(header.loudness[i] ?? Number.NEGATIVE_INFINITY, from, from + header.span);
      this.width.fill(header.width[i] ?? 0, from, from + header.span);
    }
    if (header.fine) this.fine = header.first + header.columns;
    this.changed();
  }

  private paint(header: TileHeader, levels: Uint8Array) {
    const context = this.canvas.getContext("2d");
    if (context) paintTile(context, header, levels);
  }

  finish(loudness: (number | null)[]) {
    loudness.forEach((value, i) => {
      this.loudness[i] = value ?? Number.NEGATIVE_INFINITY;
    });
    this.fine = COLUMNS;
    this.changed();
  }

  /** Where a frequency lies on the picture, 0 at the top to 1. */
  heightOf(hertz: number): number {
    return 1 - Math.log(hertz / this.low) / Math.log(this.high / this.low);
  }
}

export const longView = new LongViewPicture();
