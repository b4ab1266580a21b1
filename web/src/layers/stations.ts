/** Which stations of the chain are open: one, several, or all. */

import { create } from "zustand";

interface Open {
  /** Every station of every chain is open, and nothing is folded. */
  all: boolean;
  /** Open stations by whose chain it is; the first one where nothing is said. */
  open: Record<string, string[]>;
}

export const useStations = create<Open>(() => ({ all: false, open: {} }));

/** Open a station alone, or besides the others; an open one that is chosen alone stays. */
export function openStation(owner: string, station: string, before: string[], besides: boolean) {
  const next = !besides
    ? [station]
    : before.includes(station)
      ? before.filter((id) => id !== station)
      : [...before, station];
  useStations.setState(({ open }) => ({ all: false, open: { ...open, [owner]: next } }));
}
