/** The long view's picture: levels, loudness and width by column, drawn as they arrive. */

import type { TileHeader } from "../api/client";
import { colour } from "../ui/colours";
import { paintColumns } from "./ink";
import { StereoImages } from "./stereo-images";

export const COLUMNS = 1200;
export const ROWS = 224;

/** Paint a tile's levels where its columns lie, the lowest row at the bottom. */
export function paintTile(
  context: CanvasRenderingContext2D,
  header: TileHeader,
  levels: Uint8Array,
) {
  const { rows } = header;
  paintColumns(context, header, rows, (column, row) => levels[column * rows + rows - 1 - row] ?? 0);
}

/** How many columns in a row, from the start, are exact. */
export class LongViewPicture {
  readonly loudness = new Float32Array(COLUMNS).fill(Number.NEGATIVE_INFINITY);
  readonly width = new Float32Array(COLUMNS);
  readonly stereo = new StereoImages();
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
    context.fillStyle = colour("paper");
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
    this.stereo.clear();
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

  /** Take in a tile: its levels, then its images. */
  take(header: TileHeader, data: Uint8Array) {
    if (header.revision !== this.revision) return;
    this.low = header.low;
    this.high = header.high;
    this.paint(header, data);
    this.stereo.take(header, data);
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
