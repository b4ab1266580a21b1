/**
 * A sound without its values: what there is, in which order and under which name.
 *
 * Whatever shows structure asks for this; since it stays the same object while only values change,
 * a changed value re-renders nothing but the strip that shows it.
 */

import type { Sound } from "../api/client";

const LEFT_OUT = new Set(["params", "notes", "tags", "depth", "curve", "points"]);

function stripped(node: unknown): unknown {
  if (Array.isArray(node)) return node.map(stripped);
  if (typeof node !== "object" || node === null) return node;
  return Object.fromEntries(
    Object.entries(node).map(([key, value]) =>
      LEFT_OUT.has(key) ? [key, key === "params" ? {} : null] : [key, stripped(value)],
    ),
  );
}

const known = new WeakMap<Sound, Sound>();
let last: { text: string; skeleton: Sound } | null = null;

/** The skeleton of a sound; the same object for sounds that differ in values alone. */
export function skeletonOf(sound: Sound): Sound {
  const found = known.get(sound);
  if (found) return found;
  const fresh = stripped(sound) as Sound;
  const text = JSON.stringify(fresh);
  if (last?.text !== text) last = { text, skeleton: fresh };
  known.set(sound, last.skeleton);
  return last.skeleton;
}
