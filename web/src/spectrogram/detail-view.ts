/** The picture of a stretch that is looked at closer, drawn as it arrives. */

import type { CloserHeader } from "../api/client";
import { longView, paintTile, ROWS } from "./long-view";
import { StereoImages } from "./stereo-images";

interface Near {
  revision: number;
  start: number;
  end: number;
  columns: number;
  /** How much of it has arrived, 0 to 1, in columns and as a fraction. */
  done: number;
  fraction: number;
}

export class CloserView {
  loudness = new Float32Array(0);
  width = new Float32Array(0);
  readonly stereo = new StereoImages();
  private near: Near | null = null;
  private surface: HTMLCanvasElement | null = null;

  get canvas(): HTMLCanvasElement {
    this.surface ??= document.createElement("canvas");
    return this.surface;
  }

  /** What has arrived of the stretch, if it still belongs to what is shown. */
  known(): { start: number; end: number; columns: number; fraction: number } | null {
    const near = this.near;
    if (!near || near.done === 0 || near.revision !== longView.revision) return null;
    return { start: near.start, end: near.end, columns: near.done, fraction: near.fraction };
  }

  take(header: CloserHeader, data: Uint8Array) {
    const { revision, start, end, total } = header;
    const before = this.near;
    const same = before?.revision === revision && before.start === start && before.end === end;
    if (!same) {
      this.canvas.width = total;
      this.canvas.height = ROWS;
      this.loudness = new Float32Array(total).fill(Number.NEGATIVE_INFINITY);
      this.width = new Float32Array(total);
      this.stereo.clear();
      this.near = { revision, start, end, columns: total, done: 0, fraction: 0 };
    }
    const context = this.canvas.getContext("2d");
    if (!context || !this.near) return;
    paintTile(context, header, data);
    this.stereo.take(header, data);
    header.loudness.forEach((value, i) => {
      this.loudness[header.first + i] = value ?? Number.NEGATIVE_INFINITY;
    });
    header.width.forEach((value, i) => {
      this.width[header.first + i] = value ?? 0;
    });
    this.near.done = header.first + header.columns;
    this.near.fraction = this.near.done / total;
    longView.changed();
  }

  clear() {
    this.near = null;
  }
}

export const closerView = new CloserView();
