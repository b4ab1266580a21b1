/** Edits of many routes at once. */

import type { Route, Sound } from "../api/client";
import { type Catalogue, movableParts } from "./catalogue";
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
