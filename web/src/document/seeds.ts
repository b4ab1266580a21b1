/** Seeds of modulators: rolled again, kept, named and come back to. */

import type { Modulator, Sound } from "../api/client";
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

/** Give all modulators that chance has a part in another seed, those that are locked excepted. */
export function reseedAll(
  sound: Sound,
  seeded: (modulator: Modulator) => boolean,
  next: () => number,
  most: number,
): Operation[] {
  return sound.modulators.flatMap((modulator, index) =>
    modulator.locked || !seeded(modulator) ? [] : reseed(sound, index, next(), most),
  );
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
