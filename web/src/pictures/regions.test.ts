import { describe, expect, it } from "vitest";
import { type Box, boxFrom, height, hertzAt, nudged, placed } from "./regions";

const box: Box = { start: 1, end: 2, low: 500, high: 2000 };

describe("the spectrogram's scale", () => {
  it("runs from 30 Hz at the bottom to 20 kHz at the top", () => {
    expect(height(30)).toBeCloseTo(1);
    expect(height(20_000)).toBeCloseTo(0);
    for (const fraction of [0, 0.3, 1]) expect(height(hertzAt(fraction))).toBeCloseTo(fraction);
  });

  it("is logarithmic: octaves are as high everywhere", () => {
    expect(height(100) - height(200)).toBeCloseTo(height(4000) - height(8000));
  });
});

describe("a region", () => {
  it("lies between its corners, from wherever it is drawn", () => {
    const a = { x: 0.25, y: 0.2 };
    const b = { x: 0.75, y: 0.6 };
    const drawn = boxFrom(a, b, 8);
    expect(drawn).toEqual(boxFrom(b, a, 8));
    expect([drawn.start, drawn.end]).toEqual([2, 6]);
    expect(drawn.high).toBe(Math.round(hertzAt(0.2)));
    expect(drawn.low).toBeLessThan(drawn.high);
  });

  it("moves by arrow keys and keeps its size", () => {
    const right = nudged(box, "ArrowRight", false, 10);
    expect(right).toMatchObject({ start: 1.2, end: 2.2, low: 500, high: 2000 });
    const up = nudged(box, "ArrowUp", false, 10);
    expect((up?.high ?? 0) / (up?.low ?? 1)).toBeCloseTo(4, 1);
    expect(up?.low).toBeGreaterThan(500);
  });

  it("is resized at its end and its top", () => {
    expect(nudged(box, "ArrowLeft", true, 10)).toMatchObject({ start: 1, end: 1.8 });
    expect(nudged(box, "ArrowDown", true, 10)).toMatchObject({ low: 500 });
  });

  it("stays in the recording and in the range of hearing", () => {
    expect(nudged({ ...box, start: 0.05 }, "ArrowLeft", false, 10)?.start).toBe(0);
    expect(nudged({ ...box, high: 23_900 }, "ArrowUp", false, 10)?.high).toBe(24_000);
    expect(nudged({ ...box, low: 21 }, "ArrowDown", false, 10)?.low).toBe(20);
    const narrow = nudged({ ...box, end: 1.05 }, "ArrowLeft", true, 10);
    expect(narrow?.end).toBeGreaterThan(narrow?.start ?? 9);
  });

  it("is left alone by other keys", () => {
    expect(nudged(box, "Enter", false, 10)).toBeNull();
  });

  it("is drawn within the picture, also where it reaches beyond", () => {
    expect(placed(box, 4)).toMatchObject({ left: "25%", width: "25%" });
    const beyond = placed({ start: 3, end: 99, low: 20, high: 24_000 }, 4);
    expect(beyond).toMatchObject({ left: "75%", width: "25%", top: "0%" });
  });
});
