import { describe, expect, it } from "vitest";
import { bandPath, valueAtMoment } from "./paths";

const whole = { start: 0, end: 10 };
const values = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9];
const y = (value: number) => 100 - value * 10;

describe("bandPath", () => {
  it("lays moments across the view", () => {
    expect(bandPath([1, 2], [1, 2], { start: 0, end: 4 }, [0, 4], 100, y)).toBe(
      "M0 90L50 80L50 80L0 90Z",
    );
  });
  it("draws only what is in view, and one point more at each side", () => {
    const bent = values.map((value) => value + (value % 2 ? 0.5 : 0));
    const path = bandPath(bent, bent, whole, [4, 6], 100, y);
    expect(path.match(/-?\d+ \d/g)?.length).toBe(10);
    expect(path.startsWith("M-50 65L0 60L50 45")).toBe(true);
  });
  it("breaks where there is nothing", () => {
    const gap = [1, 1, null, 1, 1];
    expect(bandPath(gap, gap, { start: 0, end: 5 }, [0, 5], 5, y).match(/M/g)?.length).toBe(2);
  });
});

it("reads a value at a moment", () => {
  expect(valueAtMoment(values, whole, 3.4)).toBe(3);
  expect(valueAtMoment(values, whole, 10)).toBe(9);
  expect(valueAtMoment(values, whole, 11)).toBeNull();
});
