/** An effect's output, set so that it makes nothing louder or softer. */

import type { Sound } from "../api/client";
import { type Catalogue, movableParts } from "./catalogue";
import { type Operation, valueAt } from "./patch";

const OUTPUT = "output";

/** So many decibels more at an effect's output; nothing if it is gone. */
export function madeUp(
  sound: Sound,
  catalogue: Catalogue,
  path: string,
  decibels: number,
): { operations: Operation[]; output: number } | null {
  const place = movableParts(sound).find((part) => part.path === path);
  if (!place) return null;
  const parameter = catalogue
    .module(place.family, place.kind)
    .parameters.find((p) => p.key === OUTPUT);
  if (!parameter) return null;
  const pointer = `${place.pointer}/params/${OUTPUT}`;
  const now = Number(valueAt(sound, pointer) ?? 0);
  const wanted = Math.round((now + decibels) * 10) / 10;
  const output = Math.min(parameter.high, Math.max(parameter.low, wanted));
  return { operations: [{ op: "add", path: pointer, value: output }], output };
}
