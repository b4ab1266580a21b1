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

/** Copies of filters or effects behind those of a list, under ids that are free there. */
export function pasted(
  copies: Processor[],
  list: string,
  siblings: { id: string }[],
  most: number,
): Operation[] {
  const taken = siblings.map((one) => one.id);
  return copies.slice(0, Math.max(0, most - siblings.length)).map((copy) => {
    const id = freeId(copy.id.replace(/\d+$/, ""), taken);
    taken.push(id);
    return { op: "add", path: `${list}/-`, value: { ...structuredClone(copy), id } };
  });
}
