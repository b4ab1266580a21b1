import { describe, expect, it } from "vitest";
import { bandBetween, throughPoints } from "./polyline";

const read = (path: string) => path.split("L").map((point) => point.split(" ").map(Number));

describe("a line through points", () => {
  it("needs two points where it is straight", () => {
    const xs = Array.from({ length: 500 }, (_, i) => i * 2);
    const ys = xs.map((x) => 3 + x / 4);
    expect(throughPoints(xs, ys)).toBe("0 3L998 252.5");
  });

  it("passes every point by no more than a fifth of a unit", () => {
    const xs = Array.from({ length: 1000 }, (_, i) => i);
    const ys = xs.map((x) => 60 + 50 * Math.sin(x / 37) + (x % 211 === 0 ? 9 : 0));
    const kept = read(throughPoints(xs, ys));
    expect(kept.length).toBeLessThan(330);
    let at = 0;
    for (const x of xs) {
      while ((kept[at + 1]?.[0] ?? 1e9) < x) at++;
      const [x0 = 0, y0 = 0] = kept[at] ?? [];
      const [x1 = 0, y1 = 0] = kept[at + 1] ?? [];
      const y = x1 > x0 ? y0 + ((y1 - y0) * (x - x0)) / (x1 - x0) : y0;
      expect(Math.abs(y - (ys[x] ?? 0))).toBeLessThan(0.2);
    }
  });

  it("goes to the left as well, and up a step", () => {
    expect(throughPoints([4, 3, 2, 1], [0, 0, 8, 8])).toBe("4 0L3 0L2 8L1 8");
    expect(throughPoints([1, 1], [0, 5])).toBe("1 0L1 5");
    expect(throughPoints([], [])).toBe("");
    expect(throughPoints([7], [2])).toBe("7 2");
  });
});

it("a band goes along above and back below", () => {
  expect(bandBetween([0, 1, 2], [5, 9, 5], [1, 1, 1])).toBe("M0 5L1 9L2 5L2 1L0 1Z");
});
