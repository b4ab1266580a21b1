/**
 * How much louder or softer one state of a sound is played to be as loud as another.
 *
 * The first pictures of both tell at once, roughly; once both have been drawn to their end their
 * integrated loudness does. Rough and exact figures are never set against each other.
 */

import { COLUMNS } from "../spectrogram/long-view";

const MOST_MATCH = 24;
/** dBTP that nothing is made louder than. */
const CEILING = -1;
/** Decibels between loudness and peak, where the peak is not known yet: of very lively music. */
const CREST = 18;
/** LUFS under which a column says nothing of how loud a sound is: the gate of ITU-R BS.1770. */
const GATE = -70;
/** States whose loudness is remembered. */
const MOST_STATES = 60;

export interface FirstPicture {
  first: number;
  span: number;
  columns: number;
  fine: boolean;
  loudness: (number | null)[];
}

interface Known {
  rough: number | null;
  exact: number | null;
  peak: number | null;
}

/** The mean loudness of columns by their power, or null where nothing is heard. */
export function meanLoudness(columns: readonly (number | null)[]): number | null {
  const heard = columns.filter((value): value is number => value !== null && value > GATE);
  if (heard.length === 0) return null;
  const power = heard.reduce((sum, value) => sum + 10 ** (value / 10), 0) / heard.length;
  return 10 * Math.log10(power);
}

/** What is known of how loud the states of a sound are, by their names. */
export class Matching {
  private readonly known = new Map<string, Known>();

  clear() {
    this.known.clear();
  }

  /** Take in a part of a first picture; only one that covers the whole length tells. */
  takeTile(state: string, tile: FirstPicture) {
    if (tile.fine || tile.first !== 0 || tile.columns * tile.span !== COLUMNS) return;
    this.of(state).rough = meanLoudness(tile.loudness);
  }

  takeExact(state: string, integrated: number | null, peak: number | null) {
    Object.assign(this.of(state), { exact: integrated, peak });
  }

  /** Decibels by which a state can be made louder without going over the ceiling. */
  headroom(state: string): number {
    const { rough, peak } = this.known.get(state) ?? { rough: null, peak: null };
    if (peak !== null) return Math.max(0, CEILING - peak);
    return rough === null ? 0 : Math.max(0, CEILING - CREST - rough);
  }

  /** Whether both have been drawn to their end. */
  exact(state: string, reference: string): boolean {
    if (state === reference) return true;
    return [state, reference].every((one) => (this.known.get(one)?.exact ?? null) !== null);
  }

  /** Decibels by which `state` is made louder to be as loud as `reference`. */
  gain(state: string, reference: string): number {
    const here = this.known.get(state);
    const there = this.known.get(reference);
    if (state === reference || !here || !there) return 0;
    let by = 0;
    if (here.exact !== null && there.exact !== null) by = there.exact - here.exact;
    else if (here.rough !== null && there.rough !== null) by = there.rough - here.rough;
    return Math.min(MOST_MATCH, Math.max(-MOST_MATCH, by));
  }

  private of(state: string): Known {
    const known = this.known.get(state) ?? { rough: null, exact: null, peak: null };
    this.known.delete(state);
    this.known.set(state, known);
    const [oldest] = this.known.keys();
    if (this.known.size > MOST_STATES && oldest !== undefined) this.known.delete(oldest);
    return known;
  }
}
