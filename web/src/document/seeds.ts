/** Seeds of modulators: rolled again, kept, named and come back to. */

import type { Modulator, Sound } from "../api/client";
import { movableParts } from "./catalogue";
import type { Operation } from "./patch";

export type Roll = Modulator["rolls"][number];

/** The rolls with a seed among them, the newest last and no more than there may be. */
export function keptRolls(rolls: Roll[], seed: number, most: number): Roll[] {
  if (rolls.some((roll) => roll.seed === seed)) return rolls;
  const all = [...rolls, { seed, name: "" }];
  // What has a name is kept as long as there is something without one.
  while (all.length > most) {
    const nameless = all.findIndex((roll) => roll.name === "");
    all.splice(Math.max(0, nameless), 1);
  }
  return all;
}

/** Give a modulator another seed; the one before is kept among its rolls. */
export function reseed(sound: Sound, index: number, seed: number, most: number): Operation[] {
  const modulator = sound.modulators[index];
  if (!modulator) return [];
  const rolls = keptRolls(keptRolls(modulator.rolls, modulator.seed, most), seed, most);
  return [
    { op: "replace", path: `/modulators/${index}/seed`, value: seed },
    { op: "replace", path: `/modulators/${index}/rolls`, value: rolls },
  ];
}

/** Give those modulators another seed that `chosen` says, those that are locked excepted. */
export function reseedAll(
  sound: Sound,
  chosen: (modulator: Modulator) => boolean,
  next: () => number,
  most: number,
): Operation[] {
  return sound.modulators.flatMap((modulator, index) =>
    modulator.locked || !chosen(modulator) ? [] : reseed(sound, index, next(), most),
  );
}

/** Modulators by what they move: the names of layers, buses and so on, each with ids. */
export function movedBy(sound: Sound): Map<string, Set<string>> {
  const found = new Map<string, Set<string>>();
  for (const part of movableParts(sound)) {
    for (const route of sound.routes) {
      if (route.to.slice(0, route.to.lastIndexOf(".")) !== part.path) continue;
      const ids = found.get(part.owner) ?? new Set();
      found.set(part.owner, ids.add(route.from));
    }
  }
  return found;
}

export function nameRoll(sound: Sound, index: number, seed: number, name: string): Operation[] {
  const at = sound.modulators[index]?.rolls.findIndex((roll) => roll.seed === seed) ?? -1;
  if (at < 0) return [];
  return [{ op: "replace", path: `/modulators/${index}/rolls/${at}/name`, value: name }];
}

export function forgetRoll(sound: Sound, index: number, seed: number): Operation[] {
  const at = sound.modulators[index]?.rolls.findIndex((roll) => roll.seed === seed) ?? -1;
  return at < 0 ? [] : [{ op: "remove", path: `/modulators/${index}/rolls/${at}` }];
}
