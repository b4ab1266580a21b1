/**
 * A sound without its values: what there is, in which order and under which name.
 *
 * Whatever shows structure asks for this; since it stays the same object while only values change,
 * a changed value re-renders nothing but the strip that shows it.
 */

import type { Sound } from "../api/client";
import { shared } from "./patch";

const LEFT_OUT = new Set(["params", "notes", "tags", "depth", "curve", "points"]);

/** Parts of documents without their values: what an edit does not touch is the same part after it. */
const known = new WeakMap<object, unknown>();

function stripped(node: unknown): unknown {
  if (typeof node !== "object" || node === null) return node;
  const found = known.get(node);
  if (found) return found;
  const fresh = Array.isArray(node)
    ? node.map(stripped)
    : Object.fromEntries(
        Object.entries(node).map(([key, value]) =>
          LEFT_OUT.has(key) ? [key, key === "params" ? {} : null] : [key, stripped(value)],
        ),
      );
  known.set(node, fresh);
  return fresh;
}

let last: unknown;

/** The skeleton of a sound; the same object for sounds that differ in values alone. */
export function skeletonOf(sound: Sound): Sound {
  const found = known.get(sound);
  if (found && found === last) return found as Sound;
  last = shared(last, stripped(sound));
  known.set(sound, last);
  return last as Sound;
}
