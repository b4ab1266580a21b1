import { expect, it } from "vitest";
import type { Score } from "../api/client";
import { applyOperations, type Operation } from "./patch";
import {
  beatsAt,
  metreOf,
  readMetre,
  secondsAt,
  setBpm,
  setTempo,
  tempoOf,
  withChange,
} from "./tempo";

const changed = (operations: Operation[] | null) =>
  applyOperations(score, operations ?? []).document;
const score = {
  length: 30,
  tempo: [
    { time: 0, bpm: 120 },
    { time: 10, bpm: 60 },
  ],
  metre: [
    { time: 0, numerator: 4, denominator: 4 },
    { time: 12, numerator: 3, denominator: 4 },
  ],
  notes: [{ id: "n1", pitch: 60, start: 5, length: 7, velocity: 90 }],
  lanes: [{ id: "cc1", controller: 1, points: [{ time: 11, value: 0.5 }] }],
  markers: [{ id: "m1", time: 20, name: "Door" }],
} as unknown as Score;

it("counts beats through a change of tempo", () => {
  // A quarter at 120 BPM is half a second (common practice).
  expect(beatsAt(score, 1)).toBe(2);
  expect(beatsAt(score, 14)).toBe(24);
  for (const seconds of [0.7, 9.9, 10, 31.3]) {
    expect(secondsAt(score, beatsAt(score, seconds))).toBeCloseTo(seconds);
  }
});

it("leaves all in its seconds, or takes all along on its beats", () => {
  const still = changed(setBpm(score, 0, 240, false));
  expect(still.notes).toEqual(score.notes);
  expect(still.tempo[1]?.time).toBe(10);
  const along = changed(setBpm(score, 0, 240, true));
  // Twenty quarters before the change last 5 s at 240 BPM; what follows it keeps its length.
  expect(along.tempo).toEqual([
    { time: 0, bpm: 240 },
    { time: 5, bpm: 60 },
  ]);
  expect(along.notes[0]).toMatchObject({ start: 2.5, length: 4.5 });
  expect(along.lanes[0]?.points[0]?.time).toBe(6);
  expect(along.markers[0]?.time).toBe(15);
  expect(along.metre[1]?.time).toBe(7);
  expect(along.length).toBe(30);
  for (const [before, after] of [
    [5, along.notes[0]?.start],
    [20, along.markers[0]?.time],
  ] as const) {
    expect(beatsAt(along, after ?? 0)).toBeCloseTo(beatsAt(score, before));
  }
});

it("lets a slower tempo lengthen the cue by what goes along", () => {
  const slow = changed(setBpm(score, 1, 10, true));
  // The marker at 20 s comes ten beats after the change.
  expect(slow.length).toBeCloseTo(70);
  expect(slow.markers[0]?.time).toBeCloseTo(70);
  expect((slow.notes[0]?.start ?? 0) + (slow.notes[0]?.length ?? 0)).toBeCloseTo(22);
  const slower = changed(setTempo(score, [{ time: 0, bpm: 10 }], true));
  // Its thirtieth beat: the marker.
  expect(slower.length).toBeCloseTo(180);
  expect((slower.notes[0]?.start ?? 0) + (slower.notes[0]?.length ?? 0)).toBeCloseTo(132);
});

it("is not lengthened by what lies past its end", () => {
  const short = { ...score, length: 15, notes: [] } as Score;
  const slow = setBpm(short, 1, 10, true) ?? [];
  expect(applyOperations(short, slow).document.length).toBe(22);
});

it("takes nothing where the cue would be longer than any may be", () => {
  const long = { ...score, notes: [{ ...score.notes[0], start: 5, length: 3_000 }] } as Score;
  expect(setBpm(long, 1, 10, false)).not.toBeNull();
  expect(setBpm(long, 1, 10, true)).toBeNull();
});

it("reads metres, and has a tempo and a metre from the start", () => {
  expect(readMetre(" 6 / 8 ")).toEqual({ numerator: 6, denominator: 8 });
  for (const wrong of ["6/7", "0/4", "33/4", "four", ""]) expect(readMetre(wrong)).toBeNull();
  expect(tempoOf({ tempo: [] })).toEqual([{ time: 0, bpm: 120 }]);
  expect(metreOf({ metre: [] })).toEqual([{ time: 0, numerator: 4, denominator: 4 }]);
  expect(withChange(score.tempo, { time: 10, bpm: 80 }).map((t) => t.bpm)).toEqual([120, 80]);
});
