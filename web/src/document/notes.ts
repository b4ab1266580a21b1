/** Edits of a score's notes. */

import type { Score } from "../api/client";
import { freeId } from "./edits";
import type { Operation } from "./patch";

export type Note = Score["notes"][number];

export const SHORTEST_NOTE = 0.05;
const round = (seconds: number) => Math.round(seconds * 1000) / 1000;

/** A note kept inside what MIDI and the cue allow. */
export function keptNote(note: Note, length: number): Note {
  const start = round(Math.min(length - SHORTEST_NOTE, Math.max(0, note.start)));
  return {
    ...note,
    pitch: Math.min(127, Math.max(0, Math.round(note.pitch))),
    start,
    length: round(Math.min(length - start, Math.max(SHORTEST_NOTE, note.length))),
    velocity: Math.min(127, Math.max(1, Math.round(note.velocity))),
  };
}

/** Some notes made otherwise; the others stay. */
export function changeNotes(
  score: Score,
  ids: readonly string[],
  make: (note: Note) => Note,
): Operation[] {
  return score.notes.flatMap((note, i): Operation[] =>
    ids.includes(note.id)
      ? [{ op: "replace", path: `/notes/${i}`, value: keptNote(make(note), score.length) }]
      : [],
  );
}

export function addNotes(
  score: Score,
  notes: Omit<Note, "id">[],
): { ops: Operation[]; ids: string[] } {
  const taken = score.notes.map((note) => note.id);
  const ids: string[] = [];
  const ops = notes.map((note): Operation => {
    const id = freeId("n", [...taken, ...ids]);
    ids.push(id);
    return { op: "add", path: "/notes/-", value: keptNote({ ...note, id }, score.length) };
  });
  return { ops, ids };
}

export function removeNotes(score: Score, ids: readonly string[]): Operation[] {
  return score.notes
    .map((note, i) => ({ note, i }))
    .filter(({ note }) => ids.includes(note.id))
    .reverse()
    .map(({ i }) => ({ op: "remove", path: `/notes/${i}` }));
}

/** A stretch of time and of pitches, from either end. */
export interface Frame {
  time: readonly [number, number];
  pitch: readonly [number, number];
}

/** The ids of the notes that lie in a frame, or reach into it. */
export function inFrame(notes: readonly Note[], { time, pitch }: Frame): string[] {
  const [from, to] = [Math.min(...time), Math.max(...time)];
  const [low, high] = [Math.min(...pitch), Math.max(...pitch)];
  return notes
    .filter((n) => n.start < to && n.start + n.length > from && n.pitch >= low && n.pitch <= high)
    .map((n) => n.id);
}

/** The pitches that a score's notes take, with some room around them. */
export function pitchRange(score: Score, room = 3): [number, number] {
  const pitches = score.notes.map((note) => note.pitch);
  if (pitches.length === 0) return [48, 72];
  return [Math.max(0, Math.min(...pitches) - room), Math.min(127, Math.max(...pitches) + room)];
}
