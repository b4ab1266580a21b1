/** How the sheet is laid out: heights, and which rows stand where. It is kept by the browser. */

import { create } from "zustand";

export interface SoundRows {
  /** Rows that stand first, in this order. */
  pinned: string[];
  /** Rows that are open to read and to draw. */
  open: string[];
  /** Whether rows stand together by what moves them. */
  byModulator: boolean;
  /** Whether rows that there is no room for are shown too. */
  all: boolean;
}

const PICTURES = ["spectrum", "panorama", "octaves"] as const;
/** What the picture of the whole length shows. */
export type Picture = (typeof PICTURES)[number];

interface Layout {
  height: number;
  picture: Picture;
  rows: Record<string, SoundRows>;
}

const KEY = "caligo.sheet";
export const LEAST_HEIGHT = 190;
const HEIGHT = 430;
const MOST_SOUNDS = 60;
export const NO_ROWS: SoundRows = { pinned: [], open: [], byModulator: false, all: false };

function restored(): Layout {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? "{}");
    const picture = PICTURES.find((one) => one === kept.picture) ?? "spectrum";
    return { height: Number(kept.height) || HEIGHT, picture, rows: kept.rows ?? {} };
  } catch {
    return { height: HEIGHT, picture: "spectrum", rows: {} };
  }
}

export const useLayout = create<Layout>(restored);

useLayout.subscribe((layout) => {
  try {
    localStorage.setItem(KEY, JSON.stringify(layout));
  } catch {
    // A browser that keeps nothing shows the sheet as it is at first.
  }
});

export function setPicture(picture: Picture) {
  useLayout.setState({ picture });
}

export function setHeight(height: number) {
  useLayout.setState({ height: Math.max(LEAST_HEIGHT, Math.round(height)) });
}

export function setRows(soundId: number, change: (rows: SoundRows) => Partial<SoundRows>) {
  useLayout.setState(({ rows }) => {
    const before = { ...NO_ROWS, ...rows[soundId] };
    const others = Object.entries(rows).filter(([id]) => id !== String(soundId));
    const kept = others.slice(-MOST_SOUNDS + 1);
    return { rows: { ...Object.fromEntries(kept), [soundId]: { ...before, ...change(before) } } };
  });
}

/** A list with one entry more, or without it. */
export function toggled(list: string[], entry: string): string[] {
  return list.includes(entry) ? list.filter((x) => x !== entry) : [...list, entry];
}

/** A pinned row moved up or down among the pinned. */
export function shifted(list: string[], entry: string, by: number): string[] {
  const from = list.indexOf(entry);
  const to = from + by;
  if (from < 0 || to < 0 || to >= list.length) return list;
  const without = list.filter((x) => x !== entry);
  return [...without.slice(0, to), entry, ...without.slice(to)];
}
