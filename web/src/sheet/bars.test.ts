import { expect, it } from "vitest";
import type { Score } from "../api/client";
import { barLines, changesOf } from "./bars";

const score = {
  length: 40,
  tempo: [
    { time: 0, bpm: 60 },
    { time: 12, bpm: 120.4 },
  ],
  metre: [
    { time: 0, numerator: 4, denominator: 4 },
    { time: 12, numerator: 7, denominator: 8 },
    { time: 26, numerator: 3, denominator: 4 },
  ],
} as unknown as Score;

it("writes once where tempo and metre change together", () => {
  expect(changesOf(score)).toEqual([
    { time: 12, text: "♩ = 120  7/8" },
    { time: 26, text: "3/4" },
  ]);
});

it("draws bars through changes, and none where they stand too close", () => {
  // Three bars of four seconds; then seven eighths at 120.4 quarters a minute last 1.744 s.
  const times = barLines(score, [0, 20]).map((bar) => bar.time);
  expect(times.slice(0, 4)).toEqual([0, 4, 8, 12]);
  expect(times[4]).toBeCloseTo(12 + (3.5 * 60) / 120.4);
  expect(barLines({ ...score, length: 4000 }, [0, 4000])).toEqual([]);
});
