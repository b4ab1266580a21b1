import type { Sound, Value } from "../api/client";
import { defaultValue, type Module, type PartPlace } from "./catalogue";
import { moversWithout } from "./edits";
import { type Operation, valueAt } from "./patch";

function paramsOf(sound: Sound, place: PartPlace): Record<string, Value> {
  return (valueAt(sound, `${place.pointer}/params`) ?? {}) as Record<string, Value>;
}

/** The groups of a module that a part has not added, such as an equalizer's unused bands. */
export function groupsLeftOut(module: Module, params: Record<string, Value>): string[] {
  const { added } = module;
  if (!added) return [];
  return module.parameters
    .filter((p) => added.keys.includes(p.key) && params[p.key] === added.off)
    .map((p) => p.group);
}

function groupAs(module: Module, place: PartPlace, group: string, shape: string): Operation[] {
  return module.parameters
    .filter((p) => p.group === group)
    .map((p) => ({
      op: "replace",
      path: `${place.pointer}/params/${p.key}`,
      value: module.added?.keys.includes(p.key) ? shape : defaultValue(p),
    }));
}

/** Add the first group that is left out; nothing where all are there. */
export function addGroup(sound: Sound, module: Module, place: PartPlace): Operation[] {
  const [group] = groupsLeftOut(module, paramsOf(sound, place));
  if (!module.added || group === undefined) return [];
  return groupAs(module, place, group, module.added.on);
}

/** Remove a group, with what moves it. */
export function removeGroup(
  sound: Sound,
  module: Module,
  place: PartPlace,
  group: string,
): Operation[] {
  if (!module.added) return [];
  const gone = new Set(
    module.parameters.filter((p) => p.group === group).map((p) => `${place.path}.${p.key}`),
  );
  return [
    ...moversWithout(sound, (mover) => gone.has(mover.to)),
    ...groupAs(module, place, group, module.added.off),
  ];
}
