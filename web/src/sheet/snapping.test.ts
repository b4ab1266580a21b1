import { expect, it } from "vitest";
import type { Score } from "../api/client";
import { snapped } from "./snapping";

const score = {
  tempo: [
    { time: 0, bpm: 120 },
    { time: 10, bpm: 60 },
  ],
  markers: [{ id: "m1", time: 3.1, name: "Door" }],
} as unknown as Score;

it("goes to a marker that is near, else to the grid, or stays free", () => {
  expect(snapped(score, 3, 1, 0.2)).toBe(3.1);
  expect(snapped(score, 1.2, 1, 0.2)).toBeCloseTo(1);
  expect(snapped(score, 12.4, 0.25, 0.2)).toBeCloseTo(12.5);
  expect(snapped(score, 1.2, null, 9)).toBe(1.2);
});
