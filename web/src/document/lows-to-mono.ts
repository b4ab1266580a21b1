/** Lows to mono by one switch: a width effect at the end of the master. */

import type { Sound } from "../api/client";
import type { Catalogue } from "./catalogue";
import { addModule, removePart } from "./edits";
import type { Operation } from "./patch";

const KIND = "width";
const BELOW = "mono_below";

function parameterOf(catalogue: Catalogue) {
  const found = catalogue.module("effect", KIND).parameters.find((p) => p.key === BELOW);
  if (!found) throw new Error("the width effect keeps no lows in the middle");
  return { off: Number(found.low), on: Number(found.default) };
}

/** The master's last width effect, and where it stands. */
function widthOf(sound: Sound) {
  const at = sound.master.effects.findLastIndex((effect) => effect.kind === KIND);
  const effect = sound.master.effects[at];
  return effect ? { effect, pointer: `/master/effects/${at}` } : null;
}

/** Whether the master keeps lows in the middle. */
export function lowsAreMono(catalogue: Catalogue, sound: Sound): boolean {
  const found = widthOf(sound);
  const { off } = parameterOf(catalogue);
  return found !== null && !found.effect.bypass && Number(found.effect.params[BELOW]) > off;
}

/** Put lows into the middle, or back to the sides; what the effect does besides stays. */
export function lowsToMono(catalogue: Catalogue, sound: Sound): Operation[] {
  const found = widthOf(sound);
  const { off, on } = parameterOf(catalogue);
  if (!found) return addModule(catalogue, "effect", KIND, "/master/effects", sound.master.effects);
  const { effect, pointer } = found;
  const path = `${pointer}/params/${BELOW}`;
  const others = catalogue
    .module("effect", KIND)
    .parameters.filter((p) => p.key !== BELOW)
    .every((p) => effect.params[p.key] === p.default);
  const movers = [...sound.routes, ...sound.lanes].some((mover) =>
    mover.to.startsWith(`master.${effect.id}.`),
  );
  if (lowsAreMono(catalogue, sound)) {
    return others && !movers
      ? removePart(sound, `master.${effect.id}`, pointer)
      : [{ op: "replace", path, value: off }];
  }
  const heard: Operation[] = effect.bypass
    ? [{ op: "replace", path: `${pointer}/bypass`, value: false }]
    : [];
  return Number(effect.params[BELOW]) > off
    ? heard
    : [...heard, { op: "replace", path, value: on }];
}
