/**
 * The sound before and after some edits, by turns.
 *
 * Both are steps of undo: going from one to the other takes edits back or makes them again, so
 * that nothing is lost whichever side one stops at, and an edit of the side before goes on from it.
 */

import { create } from "zustand";
import { notify } from "../notices/notices";
import type { Change } from "./saving";
import { redo, undo, useSession } from "./store";

/** A state of the documents, by the last edit that led to it; null is how they were opened. */
type State = Change | null;

interface Comparing {
  /** Where "before" was put; without it, it is before the last edit. */
  mark: { state: State } | null;
  /** The two that are heard by turns. */
  pair: { before: State; after: Change } | null;
}

export const useComparing = create<Comparing>(() => ({ mark: null, pair: null }));

useSession.subscribe((state, earlier) => {
  if (state.soundId !== earlier.soundId) useComparing.setState({ mark: null, pair: null });
});

function now(): State {
  return useSession.getState().done.at(-1) ?? null;
}

/** The last edit of the state after, while the one before is on. */
export function comparedWith(): Change | null {
  const { pair } = useComparing.getState();
  if (!pair || now() !== pair.before) return null;
  return useSession.getState().undone.includes(pair.after) ? pair.after : null;
}

/** Put "before" at how all is now. */
export function markBefore() {
  useComparing.setState({ mark: { state: now() }, pair: null });
}

/** Compare with what was before the last edit again. */
export function unmarkBefore() {
  useComparing.setState({ mark: null, pair: null });
}

/** What "before" means now, if there is anything to compare it with. */
function stateBefore(): { state: State } | null {
  const { done } = useSession.getState();
  const { mark } = useComparing.getState();
  const after = now();
  if (mark && (mark.state === null || done.includes(mark.state))) {
    return mark.state === after ? null : mark;
  }
  return after ? { state: done.at(-2) ?? null } : null;
}

/** Go from after to before, or back. */
export function turnOver() {
  const after = comparedWith();
  if (after) {
    while (now() !== after && useSession.getState().undone.length > 0) redo();
    return;
  }
  const before = stateBefore();
  const last = now();
  if (!before || !last) {
    notify("There is nothing to compare yet: change something first.", "news");
    return;
  }
  useComparing.setState({ pair: { before: before.state, after: last } });
  while (now() !== before.state && useSession.getState().done.length > 0) undo();
}

/** How many edits lie between before and after. */
export function editsBetween(): number {
  const { done, undone } = useSession.getState();
  const after = comparedWith();
  if (after) return undone.length - undone.indexOf(after);
  const before = stateBefore();
  if (!before) return 0;
  return done.length - (before.state ? done.indexOf(before.state) + 1 : 0);
}
