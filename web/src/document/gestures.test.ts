import { expect, it } from "vitest";
import type { Score } from "../api/client";
import { GESTURES, PRESSURE } from "./gestures";
import { applyOperations } from "./patch";

const note = (id: string, pitch: number, start: number) => ({
  id,
  pitch,
  start,
  length: 5,
  velocity: 90,
});
const score = {
  length: 40,
  notes: [note("n1", 40, 0), note("n2", 47, 10), note("n3", 52, 20)],
  lanes: [{ id: "cc1", controller: 1, points: [] }],
} as unknown as Score;
const played = (name: string, on = score) => {
  const gesture = GESTURES.find((g) => g.name === name);
  return applyOperations(on, gesture?.make(on) ?? []).document;
};

it("draws the wheel in place of what was there, and pressure as a lane of its own", () => {
  const swell = played("Swell");
  expect(swell.lanes).toHaveLength(1);
  expect(swell.lanes[0]?.points[2]).toEqual({ time: 20, value: 1 });
  const waves = played("Pressure in waves", swell);
  const lane = waves.lanes.find((one) => one.controller === PRESSURE);
  expect(lane?.points.filter((p) => p.value === 1)).toHaveLength(4);
  expect(lane?.points.at(-1)).toEqual({ time: 40, value: 0 });
  expect(played("Hands off", waves).lanes).toEqual([]);
});

it("plays soft and then hard, over time or up a chord", () => {
  expect(played("Soft, then hard").notes.map((n) => n.velocity)).toEqual([30, 75, 120]);
  const chord = { ...score, notes: score.notes.map((n) => ({ ...n, start: 0 })) } as Score;
  expect(played("Hard, then soft", chord).notes.map((n) => n.velocity)).toEqual([120, 75, 30]);
});
