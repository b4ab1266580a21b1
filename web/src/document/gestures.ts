/** A simulated player: gestures over a score, where no keyboard or controller is at hand. */

import type { Score } from "../api/client";
import { freeId } from "./edits";
import { changeNotes } from "./notes";
import type { Operation } from "./patch";

export const WHEEL = 1;
export const PRESSURE = 128;

export interface Gesture {
  name: string;
  help: string;
  make: (score: Score) => Operation[];
}

type Course = [fraction: number, value: number][];

/** Points over the whole length, in place of what a controller's lane held. */
function drawn(score: Score, controller: number, points: { time: number; value: number }[]) {
  const index = score.lanes.findIndex((lane) => lane.controller === controller);
  if (index >= 0) {
    return [{ op: "replace" as const, path: `/lanes/${index}/points`, value: points }];
  }
  const id = freeId(
    "played",
    score.lanes.map((lane) => lane.id),
  );
  return [{ op: "add" as const, path: "/lanes/-", value: { id, controller, points } }];
}

function over(score: Score, controller: number, course: Course): Operation[] {
  const points = course.map(([fraction, value]) => ({
    time: Number((fraction * score.length).toFixed(3)),
    value,
  }));
  return drawn(score, controller, points);
}

/** A wave from nothing to all and back, so many times over each held stretch of the score. */
function waves(score: Score, controller: number, seconds: number): Operation[] {
  const count = Math.max(1, Math.round(score.length / seconds));
  const points = Array.from({ length: count * 8 + 1 }, (_, i) => ({
    time: Number(((i / (count * 8)) * score.length).toFixed(3)),
    value: Number((0.5 - 0.5 * Math.cos((i / 8) * 2 * Math.PI)).toFixed(3)),
  }));
  return drawn(score, controller, points);
}

/** Velocities from one value to another, in the order in which notes start. */
function velocities(score: Score, from: number, to: number): Operation[] {
  const starts = [...new Set(score.notes.map((note) => note.start))].sort((a, b) => a - b);
  const ids = score.notes.map((note) => note.id);
  return changeNotes(score, ids, (note) => {
    // A single chord is played from its lowest to its highest note.
    const pitches = [...new Set(score.notes.map((n) => n.pitch))].sort((a, b) => a - b);
    const [at, last] =
      starts.length > 1
        ? [starts.indexOf(note.start), starts.length - 1]
        : [pitches.indexOf(note.pitch), Math.max(1, pitches.length - 1)];
    return { ...note, velocity: from + ((to - from) * at) / last };
  });
}

export const GESTURES: Gesture[] = [
  {
    name: "Swell",
    help: "The wheel rises to the middle of the cue and falls again.",
    make: (score) =>
      over(score, WHEEL, [
        [0, 0],
        [0.25, 0.2],
        [0.5, 1],
        [0.75, 0.3],
        [1, 0],
      ]),
  },
  {
    name: "Slow wheel",
    help: "The wheel goes up over the whole cue.",
    make: (score) =>
      over(score, WHEEL, [
        [0, 0],
        [1, 1],
      ]),
  },
  {
    name: "Soft, then hard",
    help: "Velocities rise from note to note.",
    make: (score) => velocities(score, 30, 120),
  },
  {
    name: "Hard, then soft",
    help: "Velocities fall from note to note.",
    make: (score) => velocities(score, 120, 30),
  },
  {
    name: "Pressure in waves",
    help: "Aftertouch comes and goes every ten seconds.",
    make: (score) => waves(score, PRESSURE, 10),
  },
  {
    name: "Hands off",
    help: "Wheel and pressure rest again.",
    make: (score) =>
      score.lanes
        .map((lane, i) => ({ lane, i }))
        .filter(({ lane }) => lane.controller === WHEEL || lane.controller === PRESSURE)
        .reverse()
        .map(({ i }) => ({ op: "remove" as const, path: `/lanes/${i}` })),
  },
];
