/** Tempo and metre: where beats lie, and changes to both. */

import type { Score } from "../api/client";
import type { Operation } from "./patch";

export type TempoChange = Score["tempo"][number];
export type MetreChange = Score["metre"][number];

export const SLOWEST = 10;
export const FASTEST = 400;
const MOST_IN_A_BAR = 32;
export const LONGEST_SCORE = 4 * 3600;
const START: TempoChange = { time: 0, bpm: 120 };

const round = (seconds: number) => Math.round(seconds * 1e6) / 1e6;
const inOrder = <T extends { time: number }>(changes: T[]) =>
  [...changes].sort((a, b) => a.time - b.time);

/** Beats passed at a moment, through the tempo changes. */
export function beatsAt(score: Pick<Score, "tempo">, seconds: number): number {
  let beats = 0;
  const changes = inOrder(score.tempo);
  changes.forEach((change, i) => {
    const from = i === 0 ? 0 : change.time;
    const until = Math.min(seconds, changes[i + 1]?.time ?? seconds);
    if (until > from) beats += ((until - from) * change.bpm) / 60;
  });
  return changes.length === 0 ? seconds * 2 : beats;
}

/** The moment at which so many beats have passed. */
export function secondsAt(score: Pick<Score, "tempo">, beats: number): number {
  const changes = inOrder(score.tempo);
  let passed = 0;
  for (let i = 0; i < changes.length; i++) {
    const change = changes[i];
    if (!change) continue;
    const from = i === 0 ? 0 : change.time;
    const until = changes[i + 1]?.time ?? Number.POSITIVE_INFINITY;
    const here = ((until - from) * change.bpm) / 60;
    if (passed + here >= beats) return from + ((beats - passed) * 60) / change.bpm;
    passed += here;
  }
  return beats / 2;
}

/** The tempo changes in order, the first of which holds from the start. */
export function tempoOf(score: Pick<Score, "tempo">): TempoChange[] {
  const changes = inOrder(score.tempo);
  const [first = START, ...rest] = changes;
  return [{ ...first, time: 0 }, ...rest];
}

/** The metre changes in order, the first of which holds from the start. */
export function metreOf(score: Pick<Score, "metre">): MetreChange[] {
  const [first, ...rest] = inOrder(score.metre);
  return [{ numerator: 4, denominator: 4, ...first, time: 0 }, ...rest];
}

/** What a metre such as 6/8 says; nothing where it is none. */
export function readMetre(text: string): Omit<MetreChange, "time"> | null {
  const found = /^\s*(\d{1,2})\s*\/\s*(1|2|4|8|16|32)\s*$/.exec(text);
  const numerator = Number(found?.[1]);
  if (!found || numerator < 1 || numerator > MOST_IN_A_BAR) return null;
  return { numerator, denominator: Number(found[2]) as MetreChange["denominator"] };
}

/** The changes with another at a moment, in place of one that was there. */
export function withChange<T extends { time: number }>(changes: T[], change: T): T[] {
  return inOrder([...changes.filter((one) => one.time !== change.time), change]);
}

/**
 * Other tempo changes for a score.
 *
 * Where all goes `along`, notes, controllers, markers and metre keep their beats; else they keep
 * their seconds. A cue never gets shorter by it; null where it would be longer than any may be.
 */
export function setTempo(score: Score, tempo: TempoChange[], along: boolean): Operation[] | null {
  const replaced: Operation = { op: "replace", path: "/tempo", value: tempo };
  if (!along) return [replaced];
  const to = (seconds: number) => round(secondsAt({ tempo }, beatsAt(score, seconds)));
  const notes = score.notes.map((note) => {
    const start = to(note.start);
    return { ...note, start, length: to(note.start + note.length) - start };
  });
  const placed = [
    ...score.notes.map((note) => note.start + note.length),
    ...[...score.lanes.flatMap((lane) => lane.points), ...score.markers, ...score.metre].map(
      (one) => one.time,
    ),
  ];
  const latest = (times: number[], least: number) => times.reduce((a, b) => Math.max(a, b), least);
  if (latest([...placed.map(to), ...tempo.map((one) => one.time)], 0) > LONGEST_SCORE) return null;
  // What lies past the end, of a cue that was made shorter, does not lengthen it.
  const end = latest(placed.filter((time) => time <= score.length).map(to), score.length);
  return [
    replaced,
    { op: "replace", path: "/notes", value: notes },
    {
      op: "replace",
      path: "/lanes",
      value: score.lanes.map((lane) => ({
        ...lane,
        points: lane.points.map((point) => ({ ...point, time: to(point.time) })),
      })),
    },
    {
      op: "replace",
      path: "/markers",
      value: score.markers.map((marker) => ({ ...marker, time: to(marker.time) })),
    },
    {
      op: "replace",
      path: "/metre",
      value: metreOf(score).map((metre) => ({ ...metre, time: to(metre.time) })),
    },
    { op: "replace", path: "/length", value: end },
  ];
}

/** Another tempo from the change `index` on; where all goes `along`, later changes do too. */
export function setBpm(
  score: Score,
  index: number,
  bpm: number,
  along: boolean,
): Operation[] | null {
  const before = tempoOf(score);
  const tempo = before.map((change, i) => (i === index ? { ...change, bpm } : change));
  if (along) {
    for (let i = 1; i < tempo.length; i++) {
      const [last, change] = [tempo[i - 1], tempo[i]];
      if (!last || !change) continue;
      const beats = beatsAt(score, before[i]?.time ?? 0) - beatsAt(score, before[i - 1]?.time ?? 0);
      tempo[i] = { ...change, time: round(last.time + (beats * 60) / last.bpm) };
    }
  }
  return setTempo(score, tempo, along);
}
