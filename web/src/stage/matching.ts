/**
 * How much louder or softer what is held still is played, to be as loud as what moves.
 *
 * The first pictures of both states tell at once, roughly; once both have been drawn to their end
 * their integrated loudness does. Rough and exact figures are never set against each other.
 */

import { COLUMNS } from "./long-view";

const MOST_MATCH = 12;
/** LUFS under which a column says nothing of how loud a sound is: the gate of ITU-R BS.1770. */
const GATE = -70;

/** A state of the movement: as it is, at rest, or frozen at a moment. */
export interface Stillness {
  still: boolean;
  frozen: number | null;
}

interface Known {
  revision: number;
  frozen: number | null;
  rough: number | null;
  exact: number | null;
}

/** The mean loudness of columns by their power, or null where nothing is heard. */
export function meanLoudness(columns: readonly (number | null)[]): number | null {
  const heard = columns.filter((value): value is number => value !== null && value > GATE);
  if (heard.length === 0) return null;
  const power = heard.reduce((sum, value) => sum + 10 ** (value / 10), 0) / heard.length;
  return 10 * Math.log10(power);
}

export class Matching {
  private moving: Known | null = null;
  private held: Known | null = null;

  /** Forget both states: another sound is open. */
  clear() {
    this.moving = this.held = null;
  }

  /** Take in a part of the first picture; only one that covers the whole length tells. */
  takeTile(
    tile: {
      revision: number;
      first: number;
      span: number;
      columns: number;
      fine: boolean;
      loudness: (number | null)[];
    },
    state: Stillness,
  ) {
    if (tile.fine || tile.first !== 0 || tile.columns * tile.span !== COLUMNS) return;
    this.of(tile.revision, state).rough = meanLoudness(tile.loudness);
  }

  takeExact(revision: number, integrated: number | null, state: Stillness) {
    this.of(revision, state).exact = integrated;
  }

  /** Decibels by which what plays is made louder. */
  gain({ still, frozen }: Stillness): number {
    const { moving, held } = this;
    if (!still || !moving || !held) return 0;
    if (moving.revision !== held.revision || held.frozen !== frozen) return 0;
    const by =
      moving.exact !== null && held.exact !== null
        ? moving.exact - held.exact
        : moving.rough !== null && held.rough !== null
          ? moving.rough - held.rough
          : 0;
    return Math.min(MOST_MATCH, Math.max(-MOST_MATCH, by));
  }

  private of(revision: number, { still, frozen }: Stillness): Known {
    const known = still ? this.held : this.moving;
    if (known && known.revision === revision && known.frozen === frozen) return known;
    const fresh = { revision, frozen, rough: null, exact: null };
    if (still) this.held = fresh;
    else this.moving = fresh;
    return fresh;
  }
}
