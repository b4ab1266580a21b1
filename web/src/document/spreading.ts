/** Spread a little movement: many parameters, each moved slightly by a source of its own. */

import type { Modulator, Route, Sound } from "../api/client";
import type { Catalogue, Target } from "./catalogue";
import { freeId, newModulator } from "./edits";
import type { Operation } from "./patch";

export interface Spreading {
  /** The parameters that are moved. */
  targets: Target[];
  /** How far, against what the catalogue thinks gentle: 1 is as it thinks. */
  amount: number;
  /** Seconds between one random value and the next. */
  period: number;
  /** Whether each note moves by itself. */
  eachNote: boolean;
}

export const SPREAD_NAME = "Unrest";

/** The depth of a slight movement of a parameter, in its depth unit. */
export function gentleDepth(target: Target, amount: number): number {
  const { gentle_depth, depth_limit } = target.parameter;
  const depth = Math.min(depth_limit, gentle_depth * amount);
  return Number(depth.toPrecision(3));
}

/**
 * One random modulator that has values of its own for each parameter that it moves, and a route to
 * each of them.
 */
export function spread(
  sound: Sound,
  catalogue: Catalogue,
  { targets, amount, period, eachNote }: Spreading,
  seed: number,
): { operations: Operation[]; modulator: string } {
  const made: Modulator = {
    ...newModulator(sound, catalogue, "random"),
    seed,
    scope: eachNote ? "note" : "sound",
  };
  const names = new Set(sound.modulators.map((m) => m.name));
  for (let n = 1; n <= names.size + 1; n++) {
    const name = n === 1 ? SPREAD_NAME : `${SPREAD_NAME} ${n}`;
    if (!names.has(name)) {
      made.name = name;
      break;
    }
  }
  made.params = { ...made.params, period: { value: period, unit: "s" }, apart: true };
  const ids = sound.routes.map((route) => route.id);
  const routes = targets.map((target): Operation => {
    const id = freeId("route", ids);
    ids.push(id);
    const value: Route = {
      id,
      from: made.id,
      to: target.address,
      depth: gentleDepth(target, amount),
      polarity: "bipolar",
      curve: 0,
      scaled_by: null as unknown as Route["scaled_by"],
      muted: false,
      rule: "newest",
    };
    return { op: "add", path: "/routes/-", value };
  });
  return {
    operations: [{ op: "add", path: "/modulators/-", value: made }, ...routes],
    modulator: made.id,
  };
}

/** Another amount or speed for a movement that was spread: its routes and its modulator. */
export function respread(
  sound: Sound,
  modulator: string,
  { targets, amount, period, eachNote }: Spreading,
): Operation[] {
  const index = sound.modulators.findIndex((m) => m.id === modulator);
  if (index < 0) return [];
  const depths = sound.routes.flatMap((route, i): Operation[] => {
    const target = targets.find((t) => t.address === route.to);
    if (route.from !== modulator || !target) return [];
    return [{ op: "replace", path: `/routes/${i}/depth`, value: gentleDepth(target, amount) }];
  });
  return [
    ...depths,
    {
      op: "replace",
      path: `/modulators/${index}/params/period`,
      value: { value: period, unit: "s" },
    },
    { op: "replace", path: `/modulators/${index}/scope`, value: eachNote ? "note" : "sound" },
  ];
}
