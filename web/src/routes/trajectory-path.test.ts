import { describe, expect, it } from "vitest";
import { trajectoryPath } from "./trajectory-path";

const outline = (value: number[], spread = 0) => ({
  value,
  low: value.map((v) => v - spread),
  high: value.map((v) => v + spread),
});
const points = (path: string) =>
  path
    .slice(1, -1)
    .split("L")
    .map((point) => point.split(" ").map(Number));

describe("a outline", () => {
  it("goes from left to right and back, low values at the bottom", () => {
    const drawn = points(trajectoryPath(outline([0, 0.6, 1]), 200, 10, 110, (v) => v));
    expect(drawn).toEqual([
      [0, 110],
      [100, 50],
      [200, 10],
      [200, 10],
      [100, 50],
      [0, 110],
    ]);
  });

  it("is a band where it moves quickly", () => {
    const drawn = points(trajectoryPath(outline([0.5, 0.5], 0.2), 100, 0, 100, (v) => v));
    expect(drawn.map((p) => p[1])).toEqual([30, 30, 70, 70]);
  });

  it("has no more points than pixels, and loses no peak", () => {
    const values = Array.from({ length: 5000 }, (_, i) => (i === 3333 ? 1 : 0));
    const drawn = points(trajectoryPath(outline(values), 100, 0, 100, (v) => v));
    expect(drawn.length).toBeLessThanOrEqual(2 * 101);
    expect(Math.min(...drawn.map((p) => p[1] ?? 100))).toBe(0);
  });

  it("is nothing where there are no values", () => {
    expect(trajectoryPath(outline([]), 100, 0, 10, (v) => v)).toBe("");
  });
});
