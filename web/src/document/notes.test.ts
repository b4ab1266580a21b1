import { expect, it } from "vitest";
import type { Score } from "../api/client";
import { addNotes, changeNotes, inFrame, keptNote, pitchRange, removeNotes } from "./notes";

const note = (id: string, pitch: number, start = 0) => ({
  id,
  pitch,
  start,
  length: 4,
  velocity: 90,
});
const score = {
  length: 10,
  notes: [note("n1", 36), note("n2", 43, 2), note("n3", 50, 4)],
} as unknown as Score;

it("keeps notes inside the cue and what MIDI allows", () => {
  expect(keptNote({ ...note("n1", 140, 8), velocity: 300 }, 10)).toEqual({
    id: "n1",
    pitch: 127,
    start: 8,
    length: 2,
    velocity: 127,
  });
  expect(keptNote({ ...note("n1", 36, -3), length: -1 }, 10)).toMatchObject({
    start: 0,
    length: 0.05,
  });
});

it("changes several at once and removes the last first", () => {
  const up = changeNotes(score, ["n1", "n3"], (n) => ({ ...n, pitch: n.pitch + 12 }));
  expect(up.map((op) => op.path)).toEqual(["/notes/0", "/notes/2"]);
  expect(removeNotes(score, ["n1", "n3"]).map((op) => op.path)).toEqual(["/notes/2", "/notes/0"]);
});

it("adds notes under free ids", () => {
  const { ops, ids } = addNotes(score, [note("", 60), note("", 64)]);
  expect(ids).toEqual(["n4", "n5"]);
  expect(ops[1]).toMatchObject({ op: "add", path: "/notes/-", value: { id: "n5", pitch: 64 } });
  expect(pitchRange(score)).toEqual([33, 53]);
});

it("finds the notes that reach into a frame, drawn from any corner", () => {
  // n1 lasts from 0 to 4 s, n2 from 2 to 6, n3 from 4 to 8.
  expect(inFrame(score.notes, { time: [3, 5], pitch: [36, 50] })).toEqual(["n1", "n2", "n3"]);
  expect(inFrame(score.notes, { time: [5, 4.5], pitch: [60, 40] })).toEqual(["n2", "n3"]);
  expect(inFrame(score.notes, { time: [4, 5], pitch: [36, 36] })).toEqual([]);
});
