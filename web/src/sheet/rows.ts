/** The rows of the sheet: every parameter that moves, with its name, its owner and its movers. */

import { useMemo } from "react";
import type { Sound } from "../api/client";
import { type Catalogue, type Target, targets } from "../document/catalogue";
import { useLive } from "../live/socket";
import { useSkeleton } from "../session/hooks";
import { useCatalogue } from "../ui/catalogue-context";
import type { SoundRows } from "./layout";
import { useSoundRows } from "./layout-of-sound";

export interface SheetRow {
  address: string;
  target: Target;
  name: string;
  owner: string;
  /** The modulators that move it, each once, in the order of the routes. */
  movers: string[];
  /** The place of its lane among the sound's, or -1. */
  lane: number;
  muted: boolean;
}

function ownerOf(target: Target, sound: Sound, catalogue: Catalogue): string {
  const { place } = target;
  const kind =
    place.title && place.title !== "Source"
      ? place.title
      : place.family === "effect" || place.family === "filter"
        ? catalogue.module(place.family, place.kind).name
        : "";
  if (place.path === "sound") return "the whole sound";
  if (sound.modulators.some((m) => m.id === place.path)) {
    return `${place.owner}, ${catalogue.module("modulator", place.kind).name.toLowerCase()}`;
  }
  return kind ? `${kind}, ${place.owner}` : place.owner;
}

/** Every row that a sound's sheet has, in the order of the signal. */
export function rowsOf(sound: Sound, catalogue: Catalogue): SheetRow[] {
  const all = targets(sound, catalogue, true);
  return all.flatMap((target): SheetRow[] => {
    const routes = sound.routes.filter((route) => route.to === target.address);
    const lane = sound.lanes.findIndex((one) => one.to === target.address);
    if (routes.length === 0 && lane < 0) return [];
    return [
      {
        address: target.address,
        target,
        name: target.parameter.name,
        owner: ownerOf(target, sound, catalogue),
        movers: [...new Set(routes.map((route) => route.from))],
        lane,
        muted:
          routes.length > 0 && routes.every((route) => route.muted) && !sound.lanes[lane]?.points,
      },
    ];
  });
}

/**
 * Rows in the order in which they are shown: pinned first, then by signal or by modulator; what
 * could move and rests comes last.
 */
export function ordered(
  rows: SheetRow[],
  layout: Pick<SoundRows, "pinned" | "byModulator">,
  modulators: string[],
  resting: readonly string[] = [],
): SheetRow[] {
  const pinned = layout.pinned.flatMap((address) => rows.filter((r) => r.address === address));
  const others = rows.filter((row) => !layout.pinned.includes(row.address));
  if (layout.byModulator) {
    const rank = (row: SheetRow) => modulators.indexOf(row.movers[0] ?? "");
    others.sort((a, b) => rank(a) - rank(b));
  }
  const rests = (row: SheetRow) => resting.includes(row.address);
  return [...pinned, ...others.filter((row) => !rests(row)), ...others.filter((row) => rests(row))];
}

export function useRows(): SheetRow[] {
  const sound = useSkeleton();
  const catalogue = useCatalogue();
  const pinned = useSoundRows((rows) => rows.pinned);
  const byModulator = useSoundRows((rows) => rows.byModulator);
  const resting = useLive((s) =>
    Object.entries(s.readings)
      .filter(([, reading]) => reading.least === reading.greatest)
      .map(([address]) => address)
      .join(" "),
  );
  return useMemo(() => {
    if (!sound) return [];
    const modulators = sound.modulators.map((m) => m.id);
    return ordered(
      rowsOf(sound, catalogue),
      { pinned, byModulator },
      modulators,
      resting.split(" "),
    );
  }, [sound, catalogue, pinned, byModulator, resting]);
}
