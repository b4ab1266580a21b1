/** One sound's edits on their way to the server: kept until they are saved, whatever happens. */

import {
  api,
  type OpenedSound,
  Refused,
  type Score,
  type Sound,
  taken,
  Unreachable,
} from "../api/client";
import { applyOperations, joined, type Operation } from "../document/patch";
import { rebased } from "../document/rebase";

export type DocumentName = "sound" | "score";
export interface Documents {
  sound: Sound;
  score: Score;
}

/** A step of undo. */
export interface Change {
  document: DocumentName;
  label: string;
  forward: Operation[];
  back: Operation[];
}

interface Pending {
  document: DocumentName;
  operations: Operation[];
  gesture: string | null;
  change: Change;
}

interface Saved {
  revision: number;
  document: Sound | Score;
  warnings?: string[];
}

/** How it stands: `failing` means that the server answers, but cannot save. */
export type SavingState = "saved" | "saving" | "offline" | "failing" | "gone";

export interface Listener {
  /**
   * A document is not what the page made of it: the server filled something in, or, where it is
   * `foreign`, it was changed elsewhere or an edit was taken back.
   */
  shown(document: DocumentName, value: Sound | Score, foreign: boolean): void;
  /** What of the saved sound does nothing, in words. */
  remarked(remarks: string[]): void;
  /** How saving stands; `problem` says why it does not go on by itself or not at once. */
  stateChanged(state: SavingState, problem: string): void;
  /** Say why edits are not saved, and what can be done. */
  explain(state: SavingState, problem: string): void;
  /** These edits are gone, and why. */
  lost(changes: Change[], why: string): void;
}

const SLOWEST_MS = 30_000;
const PATIENCE_MS = 20_000;
const FIRST_MS = 1000;
/** Bytes of a request that may outlive its page; browsers allow 64 KiB for all together. */
const OUTLIVES = 16_000;
const LAST_WORDS = 48_000;
/**
 * From one edit of a gesture to the next on its way, while nobody listens: what is dragged is seen
 * at once, and the server's work would take the processor from it.
 */
const SEEN_MS = 160;
let pace = SEEN_MS;

/** Send the edits of a gesture as quickly as they are saved, for whoever listens, or in turn. */
export function heardAtOnce(listening: boolean) {
  pace = listening ? 0 : SEEN_MS;
}

/** Answers that say that the same edit may be saved later. */
const LATER = new Set([408, 423, 425, 429]);

export class Saving {
  readonly soundId: number;
  readonly cueId: number;
  state: SavingState = "saved";
  private problem = "";
  private known: Documents;
  private readonly revisions: Record<DocumentName, number>;
  private queue: Pending[] = [];
  /** How many edits were made so far. */
  private edits = 0;
  private running = false;
  /** Whether the first edit of the queue is being sent, rather than waiting to be tried again. */
  private flying = false;
  private failures = 0;
  private wake: () => void = () => undefined;
  /** The gesture that was sent last, and when. */
  private sent: { gesture: string | null; at: number } = { gesture: null, at: 0 };

  constructor(
    opened: OpenedSound,
    private readonly listener: Listener,
  ) {
    this.soundId = opened.id;
    this.cueId = opened.cue.id;
    this.known = { sound: opened.document as Sound, score: opened.score as Score };
    this.revisions = { sound: opened.revision, score: opened.score_revision };
  }

  /** Whether an edit is still on its way. */
  get unsent(): boolean {
    return this.queue.length > 0;
  }

  get revision(): number {
    return this.revisions.sound + this.revisions.score;
  }

  /** The documents with all edits, saved or not. */
  documents(): Documents {
    const found: Documents = { ...this.known };
    for (const { document, operations } of this.queue) written(found, document, operations);
    return found;
  }

  /** Take in an edit; what still waits of one gesture is sent as one. */
  add(pending: Pending) {
    this.edits++;
    const last = this.queue.at(-1);
    const waiting = this.queue.length > (this.flying ? 1 : 0);
    if (waiting && pending.gesture && last?.gesture === pending.gesture) {
      last.operations = joined(last.operations, pending.operations);
    } else {
      this.queue.push({ ...pending });
      if (this.failures === 0) this.wake();
    }
    void this.run();
  }

  /** Say again why edits are not saved, and what can be done. */
  explain() {
    this.listener.explain(this.state, this.problem);
  }

  /** Send what waits for its turn: its gesture is at its end. */
  endGesture() {
    this.sent.gesture = null;
    if (this.failures === 0) this.wake();
  }

  /** Try again at once. */
  retry() {
    this.wake();
    void this.run();
  }

  /** Go back to what the server has. */
  giveUp() {
    const changes = this.queue.map((pending) => pending.change);
    this.queue = [];
    this.showKnown();
    this.listener.lost(changes, "");
    this.tell("saved");
    this.wake();
  }

  /** Send all that waits in one request that outlives the page, which is being closed. */
  lastWords() {
    const flying = this.flying ? this.queue[0] : undefined;
    const waiting = this.queue.slice(flying ? 1 : 0);
    for (const document of ["sound", "score"] as const) {
      const operations = waiting
        .filter((p) => p.document === document)
        .flatMap((p) => p.operations);
      const after = flying?.document === document ? 1 : 0;
      const revision = this.revisions[document] + after;
      const body = { revision, patch: operations };
      if (operations.length > 0 && JSON.stringify(body).length < LAST_WORDS) {
        this.request(document, body, true).catch(() => undefined);
      }
    }
  }

  /**
   * Take up what was changed elsewhere, if anything was.
   *
   * An edit made while the server answers goes first; should the two meet, it is brought onto
   * the newer state then.
   */
  async catchUp() {
    const before = this.edits;
    if (this.unsent) return;
    const opened = await this.newest();
    if (this.edits !== before) return;
    if (
      opened.revision === this.revisions.sound &&
      opened.score_revision === this.revisions.score
    ) {
      return;
    }
    this.takeUp(opened);
    this.showKnown();
    this.listener.remarked(opened.warnings ?? []);
  }

  private takeUp(opened: OpenedSound) {
    this.known = { sound: opened.document as Sound, score: opened.score as Score };
    this.revisions.sound = opened.revision;
    this.revisions.score = opened.score_revision;
  }

  private showKnown() {
    const now = this.documents();
    this.listener.shown("sound", now.sound, true);
    this.listener.shown("score", now.score, true);
  }

  private tell(state: SavingState, problem = "") {
    this.state = state;
    this.problem = problem;
    this.listener.stateChanged(state, problem);
  }

  private newest(): Promise<OpenedSound> {
    const path = { sound_id: this.soundId };
    return taken(api.GET("/api/sounds/{sound_id}", { params: { path } }));
  }

  private async request(
    document: DocumentName,
    body: { revision: number; patch: Operation[] },
    keepalive: boolean,
  ): Promise<Saved> {
    const ids = { sound_id: this.soundId, cue_id: this.cueId };
    // A server that hangs counts as one that is away.
    const signal = AbortSignal.timeout(PATIENCE_MS);
    const init = { params: { path: ids }, body, keepalive, signal };
    const saved =
      document === "sound"
        ? await taken(api.PATCH("/api/sounds/{sound_id}", init))
        : await taken(api.PATCH("/api/cues/{cue_id}/score", init));
    if (!saved?.document) throw new Refused("The server's answer makes no sense.", 502);
    return saved as Saved;
  }

  private async run() {
    if (this.running) return;
    this.running = true;
    while (this.queue[0]) {
      const pending = this.queue[0];
      const turn = this.turn(pending);
      if (turn > 0) {
        await this.wait(turn);
        continue;
      }
      this.sent = { gesture: pending.gesture, at: performance.now() };
      if (this.failures === 0) this.tell("saving");
      try {
        const body = { revision: this.revisions[pending.document], patch: pending.operations };
        // A small edit is sent to its end even if the page is left meanwhile.
        const small = JSON.stringify(body).length < OUTLIVES;
        this.flying = true;
        const saved = await this.request(pending.document, body, small);
        this.flying = false;
        this.failures = 0;
        this.settle(pending, saved);
      } catch (error) {
        this.flying = false;
        if (this.queue[0] === pending && !(await this.recover(pending, error))) break;
      }
    }
    this.running = false;
    if (!this.unsent) {
      this.failures = 0;
      this.tell("saved");
    }
  }

  /** What the server has saved; its own state is shown once nothing waits any more. */
  private settle(pending: Pending, saved: Saved) {
    const document = pending.document;
    if (this.queue[0] === pending) this.queue.shift();
    this.revisions[document] = saved.revision;
    this.known = { ...this.known, [document]: saved.document };
    const waiting = this.queue.some((other) => other.document === document);
    if (!waiting) this.listener.shown(document, saved.document, false);
    if (saved.warnings) this.listener.remarked(saved.warnings);
  }

  /** Deal with an edit that was not saved; false if nothing can be done without the user. */
  private async recover(pending: Pending, error: unknown): Promise<boolean> {
    const status = error instanceof Refused ? error.status : 0;
    if (status === 409) return this.bringOntoNewest();
    if (status === 404) {
      this.tell("gone", (error as Error).message);
      return false;
    }
    if (status >= 400 && status < 500 && !LATER.has(status)) {
      this.drop(pending, (error as Error).message);
      return true;
    }
    this.failures++;
    const away = error instanceof Unreachable;
    this.tell(away ? "offline" : "failing", away ? "" : (error as Error).message);
    await this.pause();
    return true;
  }

  private pause(): Promise<void> {
    return this.wait(Math.min(SLOWEST_MS, FIRST_MS * 2 ** (this.failures - 1)));
  }

  /** Milliseconds until an edit has its turn: one of a gesture that goes on is not sent at once. */
  private turn({ gesture }: Pending): number {
    const alone = this.queue.length === 1 && this.failures === 0;
    const goesOn = gesture !== null && gesture === this.sent.gesture && alone;
    return goesOn ? this.sent.at + pace - performance.now() : 0;
  }

  private wait(wait: number): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, wait);
      this.wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  }

  /** It was changed elsewhere: bring what waits onto the newest state. */
  private async bringOntoNewest(): Promise<boolean> {
    let opened: OpenedSound;
    try {
      opened = await this.newest();
    } catch (error) {
      const [pending] = this.queue;
      return pending ? this.recover(pending, error) : true;
    }
    const before = { ...this.known };
    this.takeUp(opened);
    this.replay(before, "What it changes was removed elsewhere.");
    return true;
  }

  /** An edit that the server will never take is taken back; the others stay. */
  private drop(refused: Pending, why: string) {
    const before = { ...this.known };
    written(before, refused.document, refused.operations);
    this.queue = this.queue.filter((pending) => pending !== refused);
    this.listener.lost([refused.change], why);
    this.replay(before, why);
  }

  /** Bring what waits from the state that it was made on onto the known one, and show that. */
  private replay(madeOn: Documents, why: string) {
    const [from, to] = [madeOn, { ...this.known }];
    const lost: Change[] = [];
    this.queue = this.queue.filter((pending) => {
      const { document, operations } = pending;
      const moved = rebased<Sound | Score>(operations, from[document], to[document]);
      written(from, document, operations);
      if (!moved) {
        lost.push(pending.change);
        return false;
      }
      pending.operations = moved;
      written(to, document, moved);
      return true;
    });
    if (lost.length > 0) this.listener.lost(lost, why);
    this.showKnown();
  }
}

function written(documents: Documents, name: DocumentName, operations: Operation[]) {
  const { document } = applyOperations<Sound | Score>(documents[name], operations);
  Object.assign(documents, { [name]: document });
}
