import { expect, it } from "vitest";
import type { Route } from "../api/client";
import { parameter } from "../document/examples";
import { changedRoutes, foreseen } from "./foresight";

const route = (depth: number, more: Partial<Route> = {}) =>
  ({
    id: "r",
    from: "m",
    to: "a.level",
    depth,
    muted: false,
    polarity: "bipolar",
    curve: 0,
    scaled_by: null,
    ...more,
  }) as Route;
const outline = (...values: number[]) => {
  const value = Float32Array.from(values);
  return { value, low: value, high: value };
};
const drawn = {
  modulators: { m: outline(-1, 0, 0.5), one: outline(0, 0.5, 1) },
  depths: { r: 10 },
  twoSided: ["m"],
};
const line = Float32Array.from([20, 30, 35]);

it("finds what was dragged since the server computed", () => {
  expect(changedRoutes([route(10)], drawn)).toEqual([]);
  expect(changedRoutes([route(12, { muted: true }), route(9, { id: "new" })], drawn)).toEqual([]);
  expect(changedRoutes([route(12)], drawn)).toHaveLength(1);
});

it("shifts each point by what the modulator does there, within the range", () => {
  const level = parameter("level");
  expect([...(foreseen([line], level, [route(20)], drawn)[0] ?? [])]).toEqual([10, 30, 40]);
  expect([...(foreseen([line], level, [route(50)], drawn)[0] ?? [])]).toEqual([0, 30, 55]);
});

it("goes one way where the route does, bends and is scaled by another", () => {
  const level = parameter("level");
  const once = (more: Partial<Route>) => [
    ...(foreseen([line], level, [route(20, more)], drawn)[0] ?? []),
  ];
  expect(once({ polarity: "unipolar" })).toEqual([20, 35, 42.5]);
  expect(once({ scaled_by: "one" })).toEqual([20, 30, 40]);
  // bent(0.5, 2) = (1 - e^-1) / (1 - e^-2), the formula of an exponential curve.
  expect(once({ curve: 50 })[2]).toBeCloseTo(
    35 + 10 * ((1 - Math.exp(-1)) / (1 - Math.exp(-2))),
    4,
  );
});

it("knows of what is two-sided also where it is above the middle all the time", () => {
  const near = { ...drawn, modulators: { m: outline(0.2, 0.4, 0.6) } };
  const found = foreseen([line], parameter("level"), [route(20)], near)[0] ?? [];
  [22, 34, 41].forEach((value, i) => {
    expect(found[i]).toBeCloseTo(value, 4);
  });
});

it("moves by octaves on a logarithmic scale", () => {
  const cutoff = parameter("cutoff", { scale: "logarithmic", low: 20, high: 20_000 });
  const hertz = Float32Array.from([400, 800, 1200]);
  const octaves = { ...drawn, depths: { r: 1 } };
  const found = foreseen([hertz], cutoff, [route(2)], octaves)[0] ?? [];
  expect(found[0]).toBeCloseTo(200, 3);
  expect(found[1]).toBeCloseTo(800, 3);
  expect(found[2]).toBeCloseTo(1200 * 2 ** 0.5, 2);
});
