/** Edits of chains: what stands in them is put in another order, copied and pasted. */

import type { Effect, Layer, Sound } from "../api/client";
import { freeId } from "./edits";
import { type Operation, valueAt } from "./patch";

export type Processor = Effect | Layer["filters"][number];

/** A list in the document and a place in it. */
export interface Slot {
  list: string;
  index: number;
}

/** The slot that a pointer such as ``/layers/0/filters/1`` leads to. */
export function slotOf(pointer: string): Slot {
  const at = pointer.lastIndexOf("/");
  return { list: pointer.slice(0, at), index: Number(pointer.slice(at + 1)) };
}

/** Move what stands in a slot to another place of the same list; routes keep to it by its id. */
export function moveTo(sound: Sound, slot: Slot, to: number): Operation[] {
  const from = `${slot.list}/${slot.index}`;
  if (slot.index === to) return [];
  return [
    { op: "remove", path: from },
    { op: "add", path: `${slot.list}/${to}`, value: valueAt(sound, from) },
  ];
}

/** Copies that listen to nothing outside them. */
export function alone(parts: Processor[]): Processor[] {
  return parts.map((part) => heardHere(part, { layers: [], buses: [] }));
}

/** A copy that listens to nothing where what it listened to is not in the sound. */
function heardHere(copy: Processor, sound: Pick<Sound, "layers" | "buses">): Processor {
  const signals = [...sound.layers, ...sound.buses].map((one) => one.id);
  const params = { ...copy.params };
  if (typeof params.side === "string" && !signals.includes(params.side)) params.side = "";
  if (!("chains" in copy) || !copy.chains) return { ...copy, params };
  const chains = copy.chains.map((chain) => ({
    ...chain,
    effects: (chain.effects ?? []).map((effect) => heardHere(effect as Effect, sound) as Effect),
  }));
  return { ...copy, params, chains };
}

/** Copies of filters or effects behind those of a list, under ids that are free there. */
export function pasted(sound: Sound, copies: Processor[], list: string, most: number): Operation[] {
  const taken = (valueAt(sound, list) as Processor[]).map((one) => one.id);
  return copies.slice(0, Math.max(0, most - taken.length)).map((copy) => {
    const id = freeId(copy.id.replace(/\d+$/, ""), taken);
    taken.push(id);
    return { op: "add", path: `${list}/-`, value: { ...heardHere(copy, sound), id } };
  });
}
