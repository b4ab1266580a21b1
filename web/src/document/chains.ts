/** Edits of chains: what stands in them is put in another order, copied and pasted. */

import type { Effect, Layer, Sound } from "../api/client";
import { freeId } from "./edits";
import { addressOf, type Moving, moved, movingOf, type Room, alone as unfollowing } from "./moving";
import { type Operation, valueAt } from "./patch";

export type Processor = Effect | Layer["filters"][number];

/** Filters or effects with what moves them. */
export interface Chain extends Moving {
  parts: Processor[];
}

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

/** Parts that stand in a list, with what moves them. */
export function chainOf(sound: Sound, list: string, parts: Processor[]): Chain {
  return { parts, ...movingOf(sound, list, parts) };
}

/** A copy that listens to nothing outside it. */
export function alone(chain: Chain): Chain {
  return {
    ...unfollowing(chain),
    parts: chain.parts.map((part) => heardHere(part, { layers: [], buses: [] })),
  };
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
export function pasted(
  sound: Sound,
  copies: Chain,
  list: string,
  most: number,
  room: Room,
): Operation[] {
  const taken = (valueAt(sound, list) as Processor[]).map((one) => one.id);
  const ids = new Map<string, string>();
  const parts = copies.parts.slice(0, Math.max(0, most - taken.length)).map((copy): Operation => {
    const id = freeId(copy.id.replace(/\d+$/, ""), taken);
    taken.push(id);
    ids.set(copy.id, id);
    return { op: "add", path: `${list}/-`, value: { ...heardHere(copy, sound), id } };
  });
  return [...parts, ...moved(sound, copies, addressOf(sound, list), ids, room)];
}
