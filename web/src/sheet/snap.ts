import { create } from "zustand";

/** What is drawn goes to beats and markers: the grid in beats, or nothing. */
export const useSnap = create<{ grid: number | null }>(() => ({ grid: null }));

export const GRIDS: { name: string; grid: number | null }[] = [
  { name: "free", grid: null },
  { name: "bars and markers", grid: 4 },
  { name: "beats and markers", grid: 1 },
  { name: "sixteenths", grid: 0.25 },
];
