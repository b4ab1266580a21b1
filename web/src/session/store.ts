/** The open sound: its document, every change to it, undo, and saving. */

import { create } from "zustand";
import {
  api,
  type OpenedSound,
  Refused,
  type Score,
  type Sound,
  taken,
  Unreachable,
} from "../api/client";
import { applyOperations, type Operation, shared } from "../document/patch";

type Document = "sound" | "score";

interface Change {
  document: Document;
  label: string;
  forward: Operation[];
  back: Operation[];
}

interface Pending {
  document: Document;
  operations: Operation[];
  gesture: string | null;
}

export type Selection =
  | { kind: "layer"; id: string }
  | { kind: "bus"; id: string }
  | { kind: "master" };

interface Session {
  soundId: number | null;
  cueId: number | null;
  cueName: string;
  productionName: string;
  sound: Sound | null;
  score: Score | null;
  selection: Selection;
  modulator: string | null;
  undone: Change[];
  done: Change[];
  saving: "saved" | "saving" | "offline";
  notice: Notice | null;
}

/** Something said to whoever works here, and what can be done about it at once. */
export interface Notice {
  text: string;
  kind: "problem" | "news";
  action?: { name: string; act: () => void };
}

export const useSession = create<Session>(() => ({
  soundId: null,
  cueId: null,
  cueName: "",
  productionName: "",
  sound: null,
  score: null,
  selection: { kind: "master" },
  modulator: null,
  undone: [],
  done: [],
  saving: "saved",
  notice: null,
}));

const DEEPEST_UNDO = 300;
const RETRY_MS = 1000;
/** Bytes of a request that may outlive its page; browsers allow 64 KiB for all together. */
const OUTLIVES = 16_000;

const revisions = { sound: 0, score: 0 };
let queue: Pending[] = [];
let sending = false;
/** How many edits were made so far. */
let edits = 0;
let lastGesture: string | null = null;

export function say(text: string, kind: Notice["kind"] = "problem", action?: Notice["action"]) {
  useSession.setState({ notice: { text, kind, action } });
}

export function dismissNotice() {
  useSession.setState({ notice: null });
}

/** Take up a sound as the server gave it. */
export function takeUp(opened: OpenedSound) {
  const sound = opened.document as Sound;
  revisions.sound = opened.revision;
  revisions.score = opened.score_revision;
  queue = [];
  lastGesture = null;
  const first = sound.layers[0];
  useSession.setState({
    soundId: opened.id,
    cueId: opened.cue.id,
    cueName: `${opened.cue.number} ${opened.cue.name}`.trim(),
    productionName: opened.production.name,
    sound,
    score: opened.score as Score,
    selection: first ? { kind: "layer", id: first.id } : { kind: "master" },
    modulator: sound.modulators[0]?.id ?? null,
    done: [],
    undone: [],
    saving: "saved",
  });
}

async function newest(): Promise<OpenedSound | null> {
  const { soundId } = useSession.getState();
  if (soundId === null) return null;
  const opened = await taken(
    api.GET("/api/sounds/{sound_id}", { params: { path: { sound_id: soundId } } }),
  );
  // Another sound may have been opened meanwhile.
  return useSession.getState().soundId === soundId ? opened : null;
}

/** Load the newest state from the server, keeping the selection; what was undone is forgotten. */
async function reload() {
  const opened = await newest();
  if (opened) replace(opened);
}

/**
 * Take up what was changed elsewhere, if anything was.
 *
 * An edit made while the server answers goes first: should the two collide, it is refused, and
 * the newest state is loaded then.
 */
export async function catchUp() {
  const before = edits;
  const opened = await newest();
  if (!opened || edits !== before) return;
  if (opened.revision === revisions.sound && opened.score_revision === revisions.score) return;
  replace(opened);
}

function replace(opened: OpenedSound) {
  revisions.sound = opened.revision;
  revisions.score = opened.score_revision;
  queue = [];
  useSession.setState((state) => ({
    sound: shared(state.sound, opened.document as Sound),
    score: shared(state.score, opened.score as Score),
    done: [],
    undone: [],
    saving: "saved",
  }));
}

function write(document: Document, operations: Operation[]): Operation[] {
  const state = useSession.getState();
  const before = state[document];
  if (!before) return [];
  const { document: after, inverse } = applyOperations<Sound | Score>(before, operations);
  useSession.setState(document === "sound" ? { sound: after as Sound } : { score: after as Score });
  return inverse;
}

/**
 * Change a document: at once on screen, and on the server as soon as it answers.
 *
 * Edits of one gesture, such as a drag, become one step of undo, and only the newest of those
 * that still wait is sent.
 */
export function edit(
  document: Document,
  operations: Operation[],
  label: string,
  gesture: string | null = null,
) {
  if (operations.length === 0) return;
  const back = write(document, operations);
  useSession.setState((state) => {
    const last = state.done.at(-1);
    if (gesture !== null && gesture === lastGesture && last?.document === document) {
      const merged = { ...last, forward: operations };
      return { done: [...state.done.slice(0, -1), merged], undone: [] };
    }
    const change = { document, label, forward: operations, back };
    return { done: [...state.done, change].slice(-DEEPEST_UNDO), undone: [] };
  });
  lastGesture = gesture;
  enqueue({ document, operations, gesture });
}

/** The next edit begins a new step of undo, even if it is of the same gesture. */
export function endGesture() {
  lastGesture = null;
}

export function undo() {
  step("done", "undone", "back");
}

export function redo() {
  step("undone", "done", "forward");
}

function step(from: "done" | "undone", to: "done" | "undone", way: "forward" | "back") {
  const state = useSession.getState();
  const change = state[from].at(-1);
  if (!change) return;
  const operations = change[way];
  write(change.document, operations);
  const fresh = useSession.getState();
  useSession.setState({
    [from]: fresh[from].slice(0, -1),
    [to]: [...fresh[to], change],
  } as Pick<Session, "done" | "undone">);
  lastGesture = null;
  keepSelection();
  enqueue({ document: change.document, operations, gesture: null });
}

/** After a step back, the selected layer or modulator may be gone. */
function keepSelection() {
  const { sound, selection, modulator } = useSession.getState();
  if (!sound) return;
  const first = sound.layers[0];
  if (selection.kind === "layer" && !sound.layers.some((l) => l.id === selection.id) && first) {
    useSession.setState({ selection: { kind: "layer", id: first.id } });
  }
  if (selection.kind === "bus" && !sound.buses.some((b) => b.id === selection.id)) {
    useSession.setState({ selection: { kind: "master" } });
  }
  if (modulator && !sound.modulators.some((m) => m.id === modulator)) {
    useSession.setState({ modulator: sound.modulators[0]?.id ?? null });
  }
}

function enqueue(pending: Pending) {
  edits++;
  const last = queue.at(-1);
  const waiting = queue.length > (sending ? 1 : 0);
  if (waiting && pending.gesture && last?.gesture === pending.gesture) {
    last.operations = pending.operations;
  } else {
    queue.push({ ...pending });
  }
  void send();
}

async function patch(pending: Pending): Promise<{ revision: number; document: Sound | Score }> {
  const { soundId, cueId } = useSession.getState();
  const body = { revision: revisions[pending.document], patch: pending.operations };
  // A small edit is sent to its end even if the page is left meanwhile.
  const keepalive = JSON.stringify(body).length < OUTLIVES;
  if (pending.document === "sound") {
    const path = { sound_id: soundId ?? 0 };
    const saved = await taken(
      api.PATCH("/api/sounds/{sound_id}", { params: { path }, body, keepalive }),
    );
    return saved as { revision: number; document: Sound };
  }
  const path = { cue_id: cueId ?? 0 };
  const saved = await taken(
    api.PATCH("/api/cues/{cue_id}/score", { params: { path }, body, keepalive }),
  );
  return saved as { revision: number; document: Score };
}

async function send() {
  if (sending) return;
  sending = true;
  useSession.setState({ saving: "saving" });
  while (queue.length > 0) {
    const pending = queue[0];
    if (!pending) break;
    try {
      const saved = await patch(pending);
      queue.shift();
      revisions[pending.document] = saved.revision;
      const settled = !queue.some((waiting) => waiting.document === pending.document);
      if (settled) settle(pending.document, saved.document);
    } catch (error) {
      if (error instanceof Unreachable) {
        useSession.setState({ saving: "offline" });
        await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
        continue;
      }
      say(error instanceof Refused ? error.message : String(error));
      await reload().catch(() => undefined);
    }
  }
  sending = false;
  useSession.setState({ saving: "saved" });
}

/** The server's own state, once nothing waits any more: it may have filled something in. */
function settle(document: Document, saved: Sound | Score) {
  useSession.setState((state) =>
    document === "sound"
      ? { sound: shared(state.sound, saved as Sound) }
      : { score: shared(state.score, saved as Score) },
  );
}

/** Whether an edit of ours is still on its way; news of our own edits need no reload. */
export function unsent(): boolean {
  return queue.length > 0;
}

export function knownRevision(): number {
  return revisions.sound + revisions.score;
}
