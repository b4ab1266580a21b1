/** What of the time axis is in view, and what is pointed at. */

import { create } from "zustand";
import { look } from "../live/socket";

export type Span = [number, number];

interface View {
  /** The length of the cue, in seconds. */
  length: number;
  /** The stretch that is in view; nothing where all of it is. */
  span: Span | null;
  /** The moment under the pointer. */
  pointed: number | null;
  /** The modulator that is pointed at, and the modulators of the row that is. */
  modulator: string | null;
  movers: string[];
  /** Whether the notes are open to be edited. */
  notesOpen: boolean;
}

/** The shortest stretch that can be looked at, in seconds. */
export const SHORTEST = 1;
const LOOK_MS = 180;

export const useView = create<View>(() => ({
  length: 240,
  span: null,
  pointed: null,
  modulator: null,
  movers: [],
  notesOpen: false,
}));

/** The stretch in view; the whole where nothing is looked at closer. */
export function inView(state: Pick<View, "span" | "length"> = useView.getState()): Span {
  return state.span ?? [0, state.length];
}

export function useSpan(): Span {
  const span = useView((s) => s.span);
  const length = useView((s) => s.length);
  return span ?? [0, length];
}

/** A stretch kept inside the length, no shorter than can be seen; nothing where it is all. */
export function keptSpan([from, to]: Span, length: number): Span | null {
  const size = Math.min(length, Math.max(SHORTEST, to - from));
  const start = Math.min(length - size, Math.max(0, from));
  return size >= length * 0.9999 ? null : [start, start + size];
}

/** A stretch made so many times longer, around a moment that stays where it is. */
export function zoomed(span: Span, factor: number, around: number, length: number): Span | null {
  const [from, to] = span;
  const size = Math.min(length, Math.max(SHORTEST, (to - from) * factor));
  const fraction = (around - from) / (to - from);
  return keptSpan([around - fraction * size, around + (1 - fraction) * size], length);
}

let timer = 0;

export function show(span: Span | null) {
  useView.setState({ span });
  window.clearTimeout(timer);
  timer = window.setTimeout(() => look(useView.getState().span), LOOK_MS);
}

export function zoomBy(factor: number, around: number) {
  const state = useView.getState();
  show(zoomed(inView(state), factor, around, state.length));
}

/** Move what is in view by a fraction of it. */
export function scrollBy(fraction: number) {
  const state = useView.getState();
  const [from, to] = inView(state);
  const by = (to - from) * fraction;
  show(keptSpan([from + by, to + by], state.length));
}

/** Another sound or another length: everything is in view again. */
export function showAll(length: number) {
  if (useView.getState().span) show(null);
  useView.setState({ length, pointed: null });
}

/** A moment's place across the view, 0 to 1. */
export function fractionOf(seconds: number, [from, to]: Span): number {
  return (seconds - from) / (to - from);
}
