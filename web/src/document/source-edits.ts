/** Edits of a layer's sources. */

import type { Sound } from "../api/client";
import { type Catalogue, newSource } from "./catalogue";
import { freeId, moversWithout } from "./edits";
import type { Operation } from "./patch";
import { sourcePointer, sourcesOf } from "./sources";

/** Add a source of a kind behind the others of a layer. */
export function addSource(
  sound: Sound,
  catalogue: Catalogue,
  index: number,
  kind: string,
  recording: string,
): Operation[] {
  const layer = sound.layers[index];
  if (!layer) return [];
  const taken = [
    ...sourcesOf(layer),
    ...layer.filters,
    layer.envelope,
    ...layer.inserts,
    ...layer.sends,
  ].map((part) => part.id);
  const made = newSource(catalogue, kind, recording);
  return [
    {
      op: "add",
      path: `/layers/${index}/more_sources/-`,
      value: { ...made, id: freeId("source", taken) },
    },
  ];
}

/** Remove one of several sources, with what led to it; the next takes the place of the first. */
export function removeSource(sound: Sound, index: number, number: number): Operation[] {
  const layer = sound.layers[index];
  const gone = layer && sourcesOf(layer)[number];
  const next = layer?.more_sources?.[0];
  if (!layer || !gone || !next) return [];
  const movers = moversWithout(sound, (mover) => mover.to.startsWith(`${layer.id}.${gone.id}.`));
  if (number > 0) return [...movers, { op: "remove", path: sourcePointer(index, number) }];
  return [
    ...movers,
    { op: "remove", path: sourcePointer(index, 1) },
    { op: "replace", path: sourcePointer(index, 0), value: next },
  ];
}
