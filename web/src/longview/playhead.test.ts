import { expect, test } from "vitest";
import { smallestMove } from "./playhead";

test("the playhead is told of by tenths of a second, or by pixels where those are finer", () => {
  expect(smallestMove(240)).toBe(0.1);
  expect(smallestMove(1800)).toBe(0.1);
  expect(smallestMove(12)).toBeCloseTo(0.01);
});
