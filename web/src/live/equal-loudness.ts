/**
 * Which states are heard at equal loudness: what is held still as loud as what moves, and what was
 * before an edit as loud as what is after it.
 */

import { comparedWith } from "../session/comparing";
import type { Change } from "../session/saving";
import { knownRevision, unsent, useSession } from "../session/store";
import { type FirstPicture, Matching } from "./matching";

/** Whether movement is stopped, and at which moment if not at rest. */
export interface Stillness {
  still: boolean;
  frozen: number | null;
}

const matching = new Matching();
const names = new WeakMap<object, number>();
let named = 0;

/** A name for what an edit led to; the steps of a gesture lead to states of their own. */
function nameOf(last: Change | null): number {
  if (!last) return 0;
  const known = names.get(last.forward) ?? ++named;
  names.set(last.forward, known);
  return known;
}

function stateOf(last: Change | null, { still, frozen }: Stillness): string {
  return `${nameOf(last)} ${still ? (frozen ?? "rest") : "moving"}`;
}

function last(): Change | null {
  return useSession.getState().done.at(-1) ?? null;
}

/** What came of a revision whose edits the server has not yet confirmed, to be taken in then. */
let waiting: { revision: number; take: () => void }[] = [];

/** Take in what is known of a revision, as soon as it is that of the documents on the page. */
function takeOf(revision: number, take: () => void) {
  waiting = [...waiting.filter((one) => one.revision === revision), { revision, take }];
  settle();
}

function settle() {
  if (unsent()) return;
  const known = knownRevision();
  for (const one of waiting) if (one.revision === known) one.take();
  waiting = waiting.filter((one) => one.revision > known);
}

export function takeTile(tile: FirstPicture & Stillness & { revision: number }) {
  takeOf(tile.revision, () => matching.takeTile(stateOf(last(), tile), tile));
}

export function takeExact(
  summary: Stillness & { revision: number; integrated: number | null; true_peak: number | null },
) {
  const { revision, integrated, true_peak } = summary;
  takeOf(revision, () => matching.takeExact(stateOf(last(), summary), integrated, true_peak));
}

export interface MatchedGain {
  /** Decibels by which what is heard is made louder. */
  by: number;
  /** Whether the two that are compared have been drawn to their end. */
  exact: boolean;
}

/** The gain at which before is as loud as after, and still as loud as moving. */
export function matchedGain(stillness: Stillness): MatchedGain {
  settle();
  const compared = comparedWith();
  const after = compared ?? last();
  const stilled = stateOf(after, stillness);
  const moving = stateOf(after, { still: false, frozen: null });
  const here = stateOf(last(), stillness);
  const wanted = matching.gain(here, stilled) + matching.gain(stilled, moving);
  return {
    by: Math.min(wanted, matching.headroom(here)),
    exact: compared ? matching.exact(here, stilled) : matching.exact(stilled, moving),
  };
}

/** Another sound is open. */
export function forgetLoudness() {
  matching.clear();
  waiting = [];
}
