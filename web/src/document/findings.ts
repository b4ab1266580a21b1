/** What stands out of a sound becomes a band of an equalizer on the master. */

import type { Schemas, Sound, Value } from "../api/client";
import { type Catalogue, defaultParams } from "./catalogue";
import { freeId } from "./edits";
import type { Operation } from "./patch";

export type Finding = Schemas["FindingOut"];

const MASTER = "/master/effects";
const KIND = "equalizer";
const OFF = "off";
const LEVEL = "level";
/** The lowest level in dB. */
const SILENT = -80;

/** The parameters of one band. */
function band(number: number, finding: Finding): Record<string, Value> {
  return {
    [`shape${number}`]: finding.shape,
    [`frequency${number}`]: finding.hertz,
    [`gain${number}`]: finding.gain,
    [`width${number}`]: finding.width,
  };
}

/** The first band of an equalizer that is off, counted from one. */
function freeBand(params: Record<string, Value>): number | null {
  for (let number = 1; `shape${number}` in params; number++) {
    if (params[`shape${number}`] === OFF) return number;
  }
  return null;
}

/** Where room for one more band is on the master; null if there is none. */
export function roomFor(
  sound: Sound,
  catalogue: Catalogue,
): { index: number; band: number } | null {
  const { effects } = sound.master;
  for (const [index, effect] of effects.entries()) {
    const free = effect.kind === KIND && !effect.bypass ? freeBand(effect.params) : null;
    if (free !== null) return { index, band: free };
  }
  return effects.length < catalogue.limits.effects ? { index: effects.length, band: 1 } : null;
}

/** Whether a finding can be answered: a level always, a band where there is room for it. */
export function answerable(sound: Sound, catalogue: Catalogue, finding: Finding): boolean {
  return finding.shape === LEVEL || roomFor(sound, catalogue) !== null;
}

/**
 * Answer a finding with a band of the master's equalizer, which is added where there is none; or
 * with the master's level.
 */
export function answered(sound: Sound, catalogue: Catalogue, finding: Finding): Operation[] {
  if (finding.shape === LEVEL) {
    const level = Number(sound.master.params.level ?? 0) + finding.gain;
    return [{ op: "replace", path: "/master/params/level", value: Math.max(SILENT, level) }];
  }
  const room = roomFor(sound, catalogue);
  if (!room) return [];
  const { effects } = sound.master;
  const path = `${MASTER}/${room.index}/params`;
  if (room.index < effects.length) {
    return Object.entries(band(room.band, finding)).map(([key, value]) => ({
      op: "replace",
      path: `${path}/${key}`,
      value,
    }));
  }
  const usual = defaultParams(catalogue.module("effect", KIND));
  // Nothing else of a new equalizer acts.
  const off = Object.keys(usual)
    .filter((key) => key.startsWith("shape"))
    .map((key) => [key, OFF]);
  const params = { ...usual, ...Object.fromEntries(off), ...band(room.band, finding) };
  const taken = effects.map((effect) => effect.id);
  const value = { id: freeId(KIND, taken), kind: KIND, params, bypass: false };
  return [{ op: "add", path: `${MASTER}/-`, value }];
}
