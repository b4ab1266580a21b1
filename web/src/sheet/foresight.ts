/**
 * What a row will look like as a depth is dragged, before the server has computed it.
 *
 * A route adds its depth times what its modulator does, on a logarithmic scale in octaves; so a
 * changed depth shifts each point by the difference. Where notes differ this is the newest note's
 * course. What the server sends a moment later takes its place.
 */

import type { Route } from "../api/client";
import type { Parameter } from "../document/catalogue";
import { curved } from "../document/curvature";
import type { Trajectories } from "../live/packets";

type Drawn = Pick<Trajectories, "modulators" | "depths" | "twoSided">;

/** The routes to a parameter whose depths are other than those that the server knew of. */
export function changedRoutes(routes: readonly Route[], drawn: Drawn): Route[] {
  return routes.filter((route) => {
    const known = drawn.depths[route.id];
    return !route.muted && known !== undefined && known !== route.depth;
  });
}

/** How much further a route moves at each point with its new depth. */
function shifts(route: Route, drawn: Drawn): Float32Array | null {
  const mover = drawn.modulators[route.from];
  if (!mover) return null;
  const scaler = route.scaled_by ? drawn.modulators[route.scaled_by] : undefined;
  const further = route.depth - (drawn.depths[route.id] ?? route.depth);
  const bipolar = drawn.twoSided.includes(route.from);
  const scaledBoth = drawn.twoSided.includes(route.scaled_by ?? "");
  return mover.value.map((value, i) => {
    let amount = value;
    if (route.polarity === "unipolar" && bipolar) amount = 0.5 + 0.5 * value;
    if (route.polarity === "bipolar" && !bipolar) amount = 2 * value - 1;
    amount = Math.sign(amount) * curved(Math.abs(amount), 0.04 * route.curve);
    const scale = scaler?.value[i] ?? 1;
    return further * amount * (scaledBoth ? 0.5 + 0.5 * scale : scale);
  });
}

/** Lines of a parameter's trajectory as they will be with the depths that routes have now. */
export function foreseen<T extends Float32Array>(
  lines: readonly T[],
  parameter: Parameter,
  changed: readonly Route[],
  drawn: Drawn,
): T[] {
  const moves = changed.flatMap((route) => shifts(route, drawn) ?? []);
  const { low, high } = parameter;
  const octaves = parameter.scale === "logarithmic";
  return lines.map(
    (line) =>
      line.map((value, i) => {
        const shift = moves.reduce((sum, move) => sum + (move[i] ?? 0), 0);
        return Math.min(high, Math.max(low, octaves ? value * 2 ** shift : value + shift));
      }) as T,
  );
}
