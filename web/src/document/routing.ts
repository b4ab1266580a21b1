/** Edits of many routes at once. */

import type { Route, Sound } from "../api/client";
import { type Catalogue, movableParts, type PartPlace } from "./catalogue";
import { freeId } from "./edits";
import type { Operation } from "./patch";

/** Copy all routes that lead to a part to the parameters of another that have the same keys. */
export function copyRoutes(
  sound: Sound,
  catalogue: Catalogue,
  from: string,
  to: string,
): Operation[] {
  const target = movableParts(sound).find((part) => part.path === to);
  if (!target || from === to) return [];
  const movable = new Set(
    catalogue
      .module(target.family, target.kind)
      .parameters.filter((p) => p.moves !== "no")
      .map((p) => p.key),
  );
  const taken = new Set(sound.routes.map((route) => `${route.from} ${route.to}`));
  const ids = sound.routes.map((route) => route.id);
  return sound.routes.flatMap((route): Operation[] => {
    const key = route.to.slice(from.length + 1);
    const own = route.to.startsWith(`${from}.`) && !key.includes(".");
    const address = `${to}.${key}`;
    if (!own || !movable.has(key) || taken.has(`${route.from} ${address}`)) return [];
    const id = freeId("route", ids);
    ids.push(id);
    return [{ op: "add", path: "/routes/-", value: { ...route, id, to: address } }];
  });
}

/** Let a route's modulator move the same parameter of the like module in every other layer. */
export function inAllLayers(sound: Sound, catalogue: Catalogue, route: Route): Operation[] {
  const parts = movableParts(sound);
  const dot = route.to.lastIndexOf(".");
  const [path, key] = [route.to.slice(0, dot), route.to.slice(dot + 1)];
  const here = parts.find((part) => part.path === path);
  const own = path.split(".")[0];
  if (!here || !sound.layers.some((layer) => layer.id === own)) return [];
  const like = (part: PartPlace) => part.family === here.family && part.kind === here.kind;
  const inside = (layer: string) =>
    parts.filter((part) => like(part) && part.path.split(".")[0] === layer);
  // Where a layer has several of a kind, the one at the same place among them.
  const place = inside(own ?? "").indexOf(here);
  const taken = new Set(sound.routes.map((one) => `${one.from} ${one.to}`));
  const ids = sound.routes.map((one) => one.id);
  return sound.layers.flatMap((layer): Operation[] => {
    const part = layer.id === own ? undefined : inside(layer.id)[place];
    const movable =
      part && catalogue.module(part.family, part.kind).parameters.find((p) => p.key === key);
    const to = `${part?.path}.${key}`;
    if (!movable || movable.moves === "no" || taken.has(`${route.from} ${to}`)) return [];
    const id = freeId("route", ids);
    ids.push(id);
    return [{ op: "add", path: "/routes/-", value: { ...route, id, to } }];
  });
}

/** Mute all routes but some; or let all act where the others are silent already. */
export function soloRoutes(sound: Sound, ids: readonly string[]): Operation[] {
  const alone = sound.routes.every((route) => route.muted === !ids.includes(route.id));
  return sound.routes.flatMap((route, i): Operation[] => {
    const muted = alone ? false : !ids.includes(route.id);
    return route.muted === muted
      ? []
      : [{ op: "replace", path: `/routes/${i}/muted`, value: muted }];
  });
}

/** Mute all routes of a modulator, or let them act where all are silent. */
export function muteModulator(sound: Sound, id: string): Operation[] {
  const own = sound.routes.filter((route) => route.from === id);
  const muted = !own.every((route) => route.muted);
  return sound.routes.flatMap((route, i): Operation[] =>
    route.from === id && route.muted !== muted
      ? [{ op: "replace", path: `/routes/${i}/muted`, value: muted }]
      : [],
  );
}

export type SortKey = "from" | "to" | "depth";

/** Routes in order by a column; what is the same stays in the order of the document. */
export function sortedRoutes(
  routes: readonly { route: Route; from: string; to: string }[],
  key: SortKey,
  down: boolean,
) {
  const order = [...routes].sort((a, b) =>
    key === "depth"
      ? Math.abs(a.route.depth) - Math.abs(b.route.depth)
      : a[key].localeCompare(b[key]),
  );
  return down ? order.reverse() : order;
}
