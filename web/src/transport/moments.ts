/** The two moments of the cue that are heard in turn. */

import { create } from "zustand";

export const useMoments = create<{ a: number | null; b: number | null }>(() => ({
  a: null,
  b: null,
}));
