import { describe, expect, it } from "vitest";
import type { Lane, Score, Sound } from "../api/client";
import { curved } from "./curvature";
import {
  fromController,
  inSeconds,
  laneAt,
  removeLane,
  setPoints,
  setUnit,
  shifted,
  stretched,
  thinned,
  toController,
} from "./lanes";

const point = (time: number, value: number, bend = 0) => ({ time, value, bend });
const score = {
  tempo: [
    { time: 0, bpm: 60 },
    { time: 4, bpm: 120 },
  ],
};
const sound = {
  lanes: [{ id: "lane1", to: "a.level", muted: false, points: [] }],
} as unknown as Sound;

describe("points", () => {
  it("are set in order, and make the lane where there is none", () => {
    expect(setPoints(sound, "a.level", [point(9, 1), point(2.00049, 0)], score)).toEqual([
      { op: "replace", path: "/lanes/0/points", value: [point(2, 0), point(9, 1)] },
    ]);
    const [made] = setPoints(sound, "a.pan", [point(1, 1)], score);
    expect(made).toMatchObject({
      op: "add",
      path: "/lanes/-",
      value: { id: "lane2", to: "a.pan" },
    });
    expect(removeLane(sound, "a.level")).toEqual([{ op: "remove", path: "/lanes/0" }]);
    expect(removeLane(sound, "a.pan")).toEqual([]);
  });

  it("lie on beats or in seconds, where they are", () => {
    const on = { ...sound.lanes[0], unit: "beats", points: [point(4, 1), point(8, 0)] };
    const drawn = { lanes: [on] } as unknown as Sound;
    expect(inSeconds(drawn.lanes[0] as Lane, score)).toEqual([point(4, 1), point(6, 0)]);
    expect(setPoints(drawn, "a.level", [point(7, 1)], score)).toEqual([
      { op: "replace", path: "/lanes/0/points", value: [point(10, 1)] },
    ]);
    expect(setUnit(drawn, "a.level", "s", score)).toEqual([
      { op: "replace", path: "/lanes/0/unit", value: "s" },
      { op: "replace", path: "/lanes/0/points", value: [point(4, 1), point(6, 0)] },
    ]);
    expect(setUnit(drawn, "a.pan", "s", score)).toEqual([]);
  });

  it("are joined by ways that are even in octaves, or bent", () => {
    const course = [point(0, 100), point(10, 400)];
    expect(laneAt(course, 5, true)).toBeCloseTo(200);
    expect(laneAt(course, 5, false)).toBe(250);
    expect(laneAt(course, -3, true)).toBe(100);
    expect(laneAt(course, 99, true)).toBe(400);
    expect(laneAt([], 1, true)).toBeNull();
    // An exponent of 6 at full bend covers 95 % of the way in half the time.
    expect(curved(0.5, 0.06 * 100)).toBeCloseTo(0.9526, 3);
    expect(curved(0.5, 0.06 * -100)).toBeCloseTo(1 - 0.9526, 3);
  });

  it("are shifted, stretched and thinned", () => {
    const course = [point(1, 0), point(3, 5), point(5, 0)];
    expect(shifted(course, 7, 10).map((p) => p.time)).toEqual([8, 10]);
    expect(stretched(course, 0, 20).map((p) => p.time)).toEqual([0, 10, 20]);
    const line = Array.from({ length: 50 }, (_, i) => point(i, i < 25 ? i : 50 - i));
    expect(thinned(line, 0.4, (v) => v).map((p) => p.time)).toEqual([0, 25, 49]);
  });
});

it("come from controllers and go to them", () => {
  const score = {
    lanes: [
      {
        id: "cc1",
        controller: 1,
        points: [
          { time: 4, value: 1 },
          { time: 1, value: 0.5 },
        ],
      },
    ],
  } as unknown as Score;
  expect(fromController(score, 1, (x) => x * 100)).toEqual([point(1, 50), point(4, 100)]);
  expect(fromController(score, 7, (x) => x)).toEqual([]);
  const ops = toController(score, 7, [point(2, 30)], (v) => v / 100);
  expect(ops).toEqual([
    {
      op: "add",
      path: "/lanes/-",
      value: { id: "cc7_1", controller: 7, points: [{ time: 2, value: 0.3 }] },
    },
  ]);
  expect(toController(score, 1, [point(2, 300)], (v) => v / 100)).toEqual([
    { op: "replace", path: "/lanes/0/points", value: [{ time: 2, value: 1 }] },
  ]);
});
