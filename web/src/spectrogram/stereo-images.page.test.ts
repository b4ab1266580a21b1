import { describe, expect, it } from "vitest";
import { lostInMono, StereoImages } from "./stereo-images";

const PLACES = 3;
const OCTAVES = [500, 1000];
const ROWS = 4;

/** The bytes of columns whose octaves have these widths and correlations. */
function bytes(columns: { width: number; correlation: number }[]): Uint8Array {
  const images = columns.flatMap(({ width, correlation }) => [
    ...[1, 2, 3],
    ...[100, 200],
    ...[Math.round(127.5 * width), 0],
    ...[Math.round(127.5 * (correlation + 1)), 255],
  ]);
  return Uint8Array.from([...new Array(columns.length * ROWS).fill(7), ...images]);
}

const header = (first: number, span: number, columns: number) => ({
  first,
  span,
  columns,
  rows: ROWS,
  total: 12,
  places: PLACES,
  octaves: OCTAVES,
});

describe("stereo images", () => {
  it("are read by column and octave, behind the levels of their tile", () => {
    const images = new StereoImages();
    const data = bytes([
      { width: 2, correlation: -1 },
      { width: 1, correlation: 0 },
    ]);
    images.take(header(4, 2, 2), data);
    expect(images.level(5, 1)).toBe(200);
    expect(images.width(5, 0)).toBe(2);
    expect(images.correlation(5, 0)).toBe(-1);
    expect(images.width(6, 0)).toBeCloseTo(1, 2);
    expect(images.width(6, 1)).toBe(0);
    expect(images.correlation(7, 1)).toBe(1);
    expect(images.width(3, 0)).toBe(0);
  });

  it("are averaged over neighbours, as far as there are any", () => {
    const images = new StereoImages();
    images.take(
      header(10, 1, 2),
      bytes([
        { width: 0, correlation: 1 },
        { width: 2, correlation: 1 },
      ]),
    );
    expect(images.width(11, 0, 1)).toBeCloseTo(1, 2);
    images.clear();
    expect(images.width(11, 0, 1)).toBe(0);
    // Nothing of one sound is shown or said of the next.
    expect([images.places, images.octaves]).toEqual([0, []]);
  });
});

describe("what is lost in mono", () => {
  it("is nothing of mono, 3 dB of unrelated sides, all of opposite ones", () => {
    expect(lostInMono(0)).toBeCloseTo(0);
    expect(lostInMono(1)).toBeCloseTo(3.01, 2);
    expect(lostInMono(2)).toBeGreaterThan(50);
  });
});
