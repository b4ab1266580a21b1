/** Lanes: points drawn by hand, and what can be done to them. */

import type { Lane, Score, Sound } from "../api/client";
import { curved, STEEPEST } from "./curvature";
import { freeId } from "./edits";
import type { Operation } from "./patch";
import { beatsAt, secondsAt } from "./tempo";

export type Point = Lane["points"][number];

/** Moments are kept to a thousandth of a second. */
const ROUND = 1000;

export const roundTime = (seconds: number) => Math.round(seconds * ROUND) / ROUND;

export function sorted(points: Point[]): Point[] {
  return [...points].sort((a, b) => a.time - b.time);
}

/** A new lane for a parameter, with points if there are some already. */
export function addLane(sound: Sound, to: string, points: Point[] = []): Operation[] {
  const id = freeId(
    "lane",
    sound.lanes.map((lane) => lane.id),
  );
  return [{ op: "add", path: "/lanes/-", value: { id, to, muted: false, unit: "s", points } }];
}

export function removeLane(sound: Sound, to: string): Operation[] {
  const index = sound.lanes.findIndex((lane) => lane.to === to);
  return index < 0 ? [] : [{ op: "remove", path: `/lanes/${index}` }];
}

/** A lane's points in seconds, wherever beats lie. */
export function inSeconds(lane: Lane, score: Pick<Score, "tempo">): Point[] {
  if (lane.unit !== "beats") return lane.points;
  return lane.points.map((p) => ({ ...p, time: roundTime(secondsAt(score, p.time)) }));
}

/** Points in seconds as a lane in a unit keeps them. */
function kept(points: Point[], unit: Lane["unit"], score: Pick<Score, "tempo">): Point[] {
  const at = (seconds: number) => (unit === "beats" ? beatsAt(score, seconds) : seconds);
  return sorted(points).map((p) => ({ ...p, time: roundTime(at(p.time)) }));
}

/** Other points, in seconds, for the lane of a parameter, which is made where there is none. */
export function setPoints(
  sound: Sound,
  to: string,
  points: Point[],
  score: Pick<Score, "tempo">,
): Operation[] {
  const index = sound.lanes.findIndex((lane) => lane.to === to);
  const value = kept(points, sound.lanes[index]?.unit ?? "s", score);
  if (index < 0) return addLane(sound, to, value);
  return [{ op: "replace", path: `/lanes/${index}/points`, value }];
}

/** A lane's points lie on beats from now on, or in seconds, where they are at present. */
export function setUnit(
  sound: Sound,
  to: string,
  unit: Lane["unit"],
  score: Pick<Score, "tempo">,
): Operation[] {
  const index = sound.lanes.findIndex((lane) => lane.to === to);
  const lane = sound.lanes[index];
  if (!lane) return [];
  return [
    { op: "replace", path: `/lanes/${index}/unit`, value: unit },
    {
      op: "replace",
      path: `/lanes/${index}/points`,
      value: kept(inSeconds(lane, score), unit, score),
    },
  ];
}

/** The value of a lane at a moment; segments are even in octaves where it is logarithmic. */
export function laneAt(points: Point[], seconds: number, logarithmic: boolean): number | null {
  const first = points[0];
  if (!first) return null;
  if (seconds <= first.time) return first.value;
  const after = points.findIndex((point) => point.time > seconds);
  if (after < 0) return points.at(-1)?.value ?? null;
  const [from, to] = [points[after - 1], points[after]];
  if (!from || !to) return first.value;
  const x = (seconds - from.time) / (to.time - from.time);
  const fraction = curved(x, (STEEPEST * from.bend) / 100);
  if (!logarithmic) return from.value + (to.value - from.value) * fraction;
  const [a, b] = [Math.log2(Math.max(from.value, 1e-9)), Math.log2(Math.max(to.value, 1e-9))];
  return 2 ** (a + (b - a) * fraction);
}

/** All points moved in time; those that would leave the cue are left out. */
export function shifted(points: Point[], by: number, length: number): Point[] {
  return points
    .map((point) => ({ ...point, time: point.time + by }))
    .filter((point) => point.time >= 0 && point.time <= length);
}

/** The points spread over another stretch of time. */
export function stretched(points: Point[], from: number, to: number): Point[] {
  const order = sorted(points);
  const [first, last] = [order[0]?.time ?? 0, order.at(-1)?.time ?? 0];
  const scale = last > first ? (to - from) / (last - first) : 0;
  return order.map((point) => ({ ...point, time: from + (point.time - first) * scale }));
}

/**
 * As few points as show the same course within `tolerance` of its height, by the method of
 * Ramer, Douglas and Peucker (1972, 1973).
 */
export function thinned(points: Point[], tolerance: number, height: (v: number) => number) {
  const order = sorted(points);
  const keep = new Set([0, order.length - 1]);
  const split = (from: number, to: number) => {
    const [a, b] = [order[from], order[to]];
    if (!a || !b || to - from < 2) return;
    let farthest = -1;
    let distance = tolerance;
    for (let i = from + 1; i < to; i++) {
      const point = order[i];
      if (!point) continue;
      const fraction = b.time > a.time ? (point.time - a.time) / (b.time - a.time) : 0;
      const line = height(a.value) + (height(b.value) - height(a.value)) * fraction;
      const off = Math.abs(height(point.value) - line);
      if (off > distance) {
        farthest = i;
        distance = off;
      }
    }
    if (farthest < 0) return;
    keep.add(farthest);
    split(from, farthest);
    split(farthest, to);
  };
  split(0, order.length - 1);
  return order.filter((_, i) => keep.has(i));
}

/** A controller of the score as the points of a lane; `value` turns 0 to 1 into a value. */
export function fromController(
  score: Score,
  controller: number,
  value: (fraction: number) => number,
): Point[] {
  const lane = score.lanes.find((one) => one.controller === controller);
  return sorted(
    (lane?.points ?? []).map((p) => ({ time: p.time, value: value(p.value), bend: 0 })),
  );
}

/** A lane written to a controller of the score, in place of what was there. */
export function toController(
  score: Score,
  controller: number,
  points: Point[],
  fraction: (value: number) => number,
): Operation[] {
  const index = score.lanes.findIndex((one) => one.controller === controller);
  const id = freeId(
    `cc${controller}_`,
    score.lanes.map((one) => one.id),
  );
  const made = sorted(points).map((p) => ({
    time: p.time,
    value: Math.min(1, Math.max(0, fraction(p.value))),
  }));
  if (index >= 0) return [{ op: "replace", path: `/lanes/${index}/points`, value: made }];
  return [{ op: "add", path: "/lanes/-", value: { id, controller, points: made } }];
}
