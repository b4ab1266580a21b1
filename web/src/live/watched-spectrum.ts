import type { Schemas } from "../api/client";

type Header = Schemas["SpectrumHeader"];

/** How much later than its moment a spectrum is still shown, in seconds. */
const FRESH = 0.4;
/** How many wait at most: two seconds ahead of the ear, and what an edit there replaces. */
const MOST = 128;

/** The spectra of the slot that is watched, each until it is heard. */
export class WatchedSpectrum {
  private waiting: { header: Header; bytes: Uint8Array }[] = [];

  take(header: Header, bytes: Uint8Array) {
    this.waiting = [...this.waiting.slice(1 - MOST), { header, bytes }];
  }

  clear() {
    this.waiting = [];
  }

  /** Bins in dB, left and right, as heard at a moment; none where nothing is known of it. */
  at(seconds: number, slot: string): { binHertz: number; sides: Float32Array[] } | null {
    let found: { header: Header; bytes: Uint8Array } | null = null;
    for (const one of this.waiting) {
      const since = seconds - one.header.at;
      if (one.header.slot === slot && since >= 0 && since < FRESH) found = one;
    }
    if (!found) return null;
    const { header, bytes } = found;
    const half = bytes.length / 2;
    const side = (from: number) =>
      Float32Array.from(bytes.subarray(from, from + half), (byte) => header.floor + byte / 2);
    return { binHertz: header.bin_hertz, sides: [side(0), side(half)] };
  }
}

export const watchedSpectrum = new WatchedSpectrum();
