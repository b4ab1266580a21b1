import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { dragged, rulerTimes } from "../longview/time-axis";
import { inkTable } from "./ink";
import { LongViewPicture } from "./long-view";

describe("ink", () => {
  it("is paper where it is quiet and darkens with level", () => {
    for (const [, name, value] of readFileSync("src/styles.css", "utf8").matchAll(
      /(--color-[\w-]+): (#\w+);/g,
    )) {
      document.documentElement.style.setProperty(name ?? "", value ?? "");
    }
    const table = inkTable();
    expect([...table.slice(0, 3)]).toEqual([236, 241, 242]);
    for (let level = 1; level < 256; level++) {
      expect(table[level * 4]).toBeLessThanOrEqual(table[(level - 1) * 4] ?? 255);
    }
    expect(table[255 * 4]).toBeLessThan(20);
  });
});

describe("the picture", () => {
  const tile = (first: number, revision = 1, fine = true) => ({
    revision,
    still: false,
    frozen: null,
    first,
    span: fine ? 1 : 40,
    fine,
    columns: 2,
    rows: 224,
    total: 1200,
    low: 27.5,
    high: 16_000,
    floor: -96,
    places: 3,
    octaves: [500, 1000],
    loudness: [-20, null],
    width: [0.5, 0.6],
  });

  it("takes tiles of its revision alone", () => {
    const picture = new LongViewPicture();
    let changes = 0;
    picture.subscribe(() => changes++);
    picture.begin(1);
    picture.take(tile(0), new Uint8Array(448));
    expect(picture.loudness[0]).toBe(-20);
    expect(picture.loudness[1]).toBe(Number.NEGATIVE_INFINITY);
    expect(picture.fine).toBe(2);
    picture.take(tile(2, 9), new Uint8Array(448));
    expect(picture.fine).toBe(2);
    expect(changes).toBe(2);
  });

  it("spreads coarse tiles over their columns", () => {
    const picture = new LongViewPicture();
    picture.begin(1);
    picture.take(tile(80, 1, false), new Uint8Array(448));
    expect(picture.loudness[119]).toBe(-20);
    expect(picture.width[159]).toBeCloseTo(0.6);
    expect(picture.fine).toBe(0);
  });

  it("knows how high a frequency lies", () => {
    const picture = new LongViewPicture();
    expect(picture.heightOf(16_000)).toBeCloseTo(0);
    expect(picture.heightOf(27.5)).toBeCloseTo(1);
  });
});

describe("the time axis", () => {
  it("has round steps", () => {
    expect(rulerTimes(240)).toEqual([0, 30, 60, 90, 120, 150, 180, 210]);
    expect(rulerTimes(1800)[1]).toBe(300);
    expect(rulerTimes(8)).toHaveLength(8);
  });

  it("tells a drag from a click", () => {
    expect(dragged(10, 10.1, 240)).toBeNull();
    expect(dragged(90, 60, 240)).toEqual([60, 90]);
    expect(dragged(-5, 400, 240)).toEqual([0, 240]);
  });
});
