import { expect, it } from "vitest";
import { filled, resized, rolled, short, turned, withStep } from "./step-edits";

const pattern = { values: [10, 20, 30], bends: [], chances: [50], ties: [] };

it("fills what is missing with what is normal, and writes no more than that", () => {
  expect(filled(pattern)).toEqual({
    values: [10, 20, 30],
    bends: [0, 0, 0],
    chances: [50, 100, 100],
    ties: [0, 0, 0],
  });
  expect(short(filled({ ...pattern, chances: [] }))).toEqual({ ...pattern, chances: [] });
});

it("changes one step, the count, and the place of the first", () => {
  expect(withStep(pattern, 1, "ties", 100).ties).toEqual([0, 100, 0]);
  expect(withStep(pattern, 0, "chances", 100).chances).toEqual([]);
  expect(resized(pattern, 5).values).toEqual([10, 20, 30, 10, 20]);
  expect(resized(pattern, 2).chances).toEqual([50, 100]);
  expect(turned(pattern, 1)).toMatchObject({ values: [30, 10, 20], chances: [100, 50, 100] });
  expect(turned(turned(pattern, 1), -1)).toEqual({ ...pattern, chances: [50, 100, 100] });
});

it("rolls values within their range", () => {
  let i = 0;
  const made = rolled(pattern, () => [0, 0.5, 0.999][i++] ?? 0);
  expect(made.values).toEqual([-100, 0, 100]);
});
