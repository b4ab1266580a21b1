/** What a picture knows of left and right by column, see `caligo.measure.panorama`. */

import type { TileHeader } from "../api/client";
import { colour } from "../ui/colours";
import { paintColumns } from "./ink";

type Placed = Pick<
  TileHeader,
  "first" | "span" | "columns" | "rows" | "total" | "places" | "octaves"
>;

export class StereoImages {
  /** The middle of each octave in Hz, lowest first. */
  octaves: readonly number[] = [];
  columns = 0;
  places = 0;
  private size = 0;
  private bytes = new Uint8Array(0);
  private surface: HTMLCanvasElement | null = null;

  /** The levels by place, left at the top, in the picture's own resolution. */
  get canvas(): HTMLCanvasElement {
    this.surface ??= document.createElement("canvas");
    return this.surface;
  }

  /** Take in the images that follow a tile's levels. */
  take(header: Placed, data: Uint8Array) {
    const size = header.places + 3 * header.octaves.length;
    if (header.total !== this.columns || size !== this.size) this.begin(header, size);
    const images = data.subarray(header.columns * header.rows);
    for (let i = 0; i < header.columns * header.span; i++) {
      const from = Math.floor(i / header.span) * size;
      this.bytes.set(images.subarray(from, from + size), (header.first + i) * size);
    }
    const context = this.canvas.getContext("2d");
    if (!context) return;
    paintColumns(
      context,
      header,
      header.places,
      (column, place) => images[column * size + place] ?? 0,
    );
  }

  private begin(header: Placed, size: number) {
    this.columns = header.total;
    this.places = header.places;
    this.octaves = header.octaves;
    this.size = size;
    this.bytes = new Uint8Array(header.total * size);
    this.canvas.width = header.total;
    this.canvas.height = header.places;
    const context = this.canvas.getContext("2d");
    if (!context) return;
    context.fillStyle = colour("paper");
    context.fillRect(0, 0, header.total, header.places);
  }

  clear() {
    this.columns = 0;
    this.places = 0;
    this.octaves = [];
    this.bytes = new Uint8Array(0);
  }

  /** The mean over the columns around one of what a byte of each octave stands for. */
  private mean(column: number, reach: number, of: number, octave: number): number {
    const at = this.places + of * this.octaves.length + octave;
    let [sum, count] = [0, 0];
    const last = Math.min(this.columns - 1, column + reach);
    for (let i = Math.max(0, column - reach); i <= last; i++) {
      sum += this.bytes[i * this.size + at] ?? 0;
      count++;
    }
    return count > 0 ? sum / count : 0;
  }

  /** The level of an octave as a byte, as those of the picture are. */
  level(column: number, octave: number, reach = 0): number {
    return this.mean(column, reach, 0, octave);
  }

  /** The width of an octave: 0 mono, 1 unrelated sides, 2 opposite ones. */
  width(column: number, octave: number, reach = 0): number {
    return this.mean(column, reach, 1, octave) / 127.5;
  }

  /** The correlation of left and right in an octave, -1 to 1. */
  correlation(column: number, octave: number, reach = 0): number {
    return this.mean(column, reach, 2, octave) / 127.5 - 1;
  }
}

/** What is lost of a width in mono, in decibels: the side's fraction of the energy. */
export function lostInMono(width: number): number {
  return -10 * Math.log10(Math.max(1e-6, 1 - width / 2));
}
