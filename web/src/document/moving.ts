/** What moves the filters or effects of a chain, so that copies take it along. */

import type { Modulator, Route, Sound } from "../api/client";
import { freeId, topIds } from "./edits";
import { type Operation, valueAt } from "./patch";

/** Modulators, and the routes from them into a chain and into each other. */
export interface Moving {
  modulators: Modulator[];
  /** Those into the chain's parts have addresses under `CHAIN`. */
  routes: Route[];
}

/** How many a sound may have of what comes along. */
export interface Room {
  modulators: number;
  routes: number;
}

const CHAIN = "chain";

/** The address under which what stands in a list has its own, such as ``nave.bands.low``. */
export function addressOf(sound: Sound, list: string): string {
  const names = list.split("/").slice(1);
  const ids: string[] = [];
  // Lists and places in them take turns; the master stands in none.
  if (names[0] === "master") ids.push(...names.splice(0, 1));
  const before = ids.length > 0 ? `/${ids[0]}/` : "/";
  for (let length = 2; length <= names.length; length += 2) {
    const part = valueAt(sound, before + names.slice(0, length).join("/"));
    ids.push((part as { id: string }).id);
  }
  return ids.join(".");
}

const under = (owner: string, address: string) => address.startsWith(`${owner}.`);

/** The modulators that a route needs. */
const needed = (route: Route) => [route.from, ...(route.scaled_by ? [route.scaled_by] : [])];

/** What moves parts that stand in a list, and what moves that, to any depth. */
export function movingOf(sound: Sound, list: string, parts: { id: string }[]): Moving {
  const address = addressOf(sound, list);
  const into = sound.routes.filter((route) =>
    parts.some((part) => under(`${address}.${part.id}`, route.to)),
  );
  const routes = into.map((route) => ({
    ...route,
    to: `${CHAIN}${route.to.slice(address.length)}`,
  }));
  const movers = new Set<string>();
  const follow = (found: Route[]) => {
    for (const id of found.flatMap(needed)) {
      if (movers.has(id)) continue;
      movers.add(id);
      const further = sound.routes.filter((route) => under(id, route.to));
      routes.push(...further);
      follow(further);
    }
  };
  follow(into);
  return { modulators: sound.modulators.filter((one) => movers.has(one.id)), routes };
}

/** Copies of modulators that follow no layer: it stays where it is. */
export function alone(moving: Moving): Moving {
  return { ...moving, modulators: moving.modulators.map((one) => following(one, [])) };
}

function following(modulator: Modulator, layers: string[]): Modulator {
  const { layer } = modulator.params;
  if (typeof layer !== "string" || layer === "" || layers.includes(layer)) return modulator;
  return { ...modulator, params: { ...modulator.params, layer: "" } };
}

const same = (one: Modulator, other: Modulator) =>
  one.id === other.id &&
  JSON.stringify([one.kind, one.scope, one.seed, one.params]) ===
    JSON.stringify([other.kind, other.scope, other.seed, other.params]);

/**
 * The modulators and routes that copies of parts need under their new ids.
 *
 * A modulator that stands in the sound just so moves the copies as well; others come along, as many
 * as there is room for.
 */
export function moved(
  sound: Sound,
  moving: Moving,
  address: string,
  ids: Map<string, string>,
  room: Room,
): Operation[] {
  const taken = topIds(sound);
  const names = sound.modulators.map((one) => one.name);
  const layers = sound.layers.map((one) => one.id);
  const movers = new Map<string, string>();
  const fresh = new Set<string>();
  const operations: Operation[] = [];
  for (const copy of moving.modulators) {
    if (sound.modulators.some((one) => same(one, copy))) {
      movers.set(copy.id, copy.id);
      continue;
    }
    if (sound.modulators.length + fresh.size >= room.modulators) continue;
    const id = freeId(copy.id.replace(/\d+$/, ""), taken);
    const name = names.includes(copy.name) ? freeId(`${copy.name} `, names) : copy.name;
    taken.push(id);
    names.push(name);
    movers.set(copy.id, id);
    fresh.add(copy.id);
    operations.push({
      op: "add",
      path: "/modulators/-",
      value: { ...following(copy, layers), id, name },
    });
  }
  const routes = sound.routes.map((route) => route.id);
  for (const route of moving.routes) {
    const [owner = "", part = "", ...rest] = route.to.split(".");
    const to =
      owner === CHAIN
        ? ids.has(part) && [address, ids.get(part), ...rest].join(".")
        : fresh.has(owner) && [movers.get(owner), part, ...rest].join(".");
    if (!to || !needed(route).every((id) => movers.has(id))) continue;
    if (routes.length >= room.routes) break;
    const id = freeId("route", routes);
    routes.push(id);
    const value = {
      ...route,
      id,
      to,
      from: movers.get(route.from),
      scaled_by: route.scaled_by ? movers.get(route.scaled_by) : null,
    };
    operations.push({ op: "add", path: "/routes/-", value });
  }
  return operations;
}
