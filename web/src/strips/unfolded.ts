import { create } from "zustand";

/** Whether groups of strips that are at rest are shown too. */
export const useUnfolded = create<{ everything: boolean }>(() => ({ everything: false }));
