/** The open sound: its document, every change to it, and undo. */

import { create } from "zustand";
import type { OpenedSound, Score, Sound } from "../api/client";
import { applyOperations, joined, type Operation, shared } from "../document/patch";
import { type Action, dismissNotice, type Notice, notify } from "../notices/notices";
import { type Change, type DocumentName, type Listener, Saving, type SavingState } from "./saving";

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
  saving: SavingState;
  /** What of the sound does nothing, though it was meant to, in words. */
  remarks: string[];
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
  remarks: [],
}));

const DEEPEST_UNDO = 300;

/** What is on its way of the open sound. */
let current: Saving | null = null;
/** Sounds left with edits on their way, by id; they go on being saved. */
const left = new Map<number, Saving>();
let lastGesture: string | null = null;

/** What a sound's saving tells; what is on screen changes only while it is the open one. */
class SavingNotices implements Listener {
  saving: Saving | null = null;
  private trouble: Notice | null = null;

  constructor(private readonly name: string) {}

  private get open(): boolean {
    return this.saving !== null && this.saving === current;
  }

  shown(document: DocumentName, value: Sound | Score, foreign: boolean) {
    if (!this.open) return;
    useSession.setState((state) => {
      if (document === "score") return { score: shared(state.score, value as Score) };
      const sound = shared(state.sound, value as Sound);
      // Steps of undo name places, which another structure may have moved.
      const kept = !foreign || (state.sound && sound && sameStructure(state.sound, sound));
      return kept ? { sound } : { sound, done: [], undone: [] };
    });
    keepSelection();
  }

  remarked(remarks: string[]) {
    if (this.open) useSession.setState({ remarks });
  }

  stateChanged(state: SavingState, problem: string) {
    if (this.open) useSession.setState({ saving: state });
    if (state === "saved" || state === "saving") {
      if (this.trouble) dismissNotice(this.trouble);
      this.trouble = null;
    } else if (problem && !this.trouble) {
      this.explain(state, problem);
    }
  }

  explain(state: SavingState, problem: string) {
    const { saving } = this;
    const actions: Action[] = [
      { name: "Keep as a copy", act: () => saving && keepCopy(saving) },
      { name: "Give up these changes", act: () => saving?.giveUp() },
    ];
    const retry = () => {
      // Should it fail again, that is said again.
      if (this.trouble) dismissNotice(this.trouble);
      this.trouble = null;
      saving?.retry();
    };
    if (state !== "gone") actions.unshift({ name: "Try again now", act: retry });
    const what =
      state === "gone"
        ? `“${this.name}” was deleted elsewhere; your last changes to it are kept on this page.`
        : `Your changes to “${this.name}” are not saved yet. They are kept on this page, and saving is tried again.`;
    this.trouble = notify(`${what}\n${problem}`, "problem", ...actions);
  }

  lost(changes: Change[], why: string) {
    const gone = new Set(changes);
    if (this.open) {
      useSession.setState(({ done, undone }) => ({
        done: done.filter((change) => !gone.has(change)),
        undone: undone.filter((change) => !gone.has(change)),
      }));
    }
    if (!why || changes.length === 0) return;
    const [first] = changes;
    const more = changes.length > 1 ? ` and ${changes.length - 1} more` : "";
    notify(`“${first?.label}”${more} in “${this.name}” was not taken: ${why}`);
  }
}

function newSaving(opened: OpenedSound): Saving {
  const notices = new SavingNotices((opened.document as Sound).name);
  notices.saving = new Saving(opened, notices);
  return notices.saving;
}

function sameStructure(before: Sound, after: Sound): boolean {
  const ids = (sound: Sound) =>
    JSON.stringify(sound, (key, value) =>
      key === "id" || typeof value === "object" ? value : undefined,
    );
  return ids(before) === ids(after);
}

/** How copies are kept; set by what knows of the library. */
let keepCopy: (saving: Saving) => void = () => undefined;

export function onKeepCopy(act: (saving: Saving) => void) {
  keepCopy = act;
}

/** Take up a sound as the server gave it, with what of it is still on its way. */
export function takeUp(opened: OpenedSound) {
  if (current?.unsent) left.set(current.soundId, current);
  for (const [id, saving] of left) if (!saving.unsent) left.delete(id);
  current = left.get(opened.id) ?? newSaving(opened);
  left.delete(opened.id);
  const { sound, score } = current.documents();
  lastGesture = null;
  const first = sound.layers[0];
  useSession.setState({
    soundId: opened.id,
    cueId: opened.cue.id,
    cueName: `${opened.cue.number} ${opened.cue.name}`.trim(),
    productionName: opened.production.name,
    sound,
    score,
    selection: first ? { kind: "layer", id: first.id } : { kind: "master" },
    modulator: sound.modulators[0]?.id ?? null,
    done: [],
    undone: [],
    saving: current.state,
    remarks: opened.warnings ?? [],
  });
}

/** Take up what was changed elsewhere, if anything was. */
export async function catchUp() {
  await current?.catchUp();
}

/** Say again why the open sound is not saved, and what can be done. */
export function explainSaving() {
  current?.explain();
}

/** Send what still waits, of every sound; the page is being closed. */
export function lastWords() {
  for (const saving of new Set([...left.values(), ...(current ? [current] : [])])) {
    saving.lastWords();
  }
}

/** A document with operations applied, as the session keeps it, and what takes them back. */
function written(
  document: DocumentName,
  operations: Operation[],
): { kept: Partial<Session>; inverse: Operation[] } {
  const before = useSession.getState()[document];
  if (!before) return { kept: {}, inverse: [] };
  const { document: after, inverse } = applyOperations<Sound | Score>(before, operations);
  const kept = document === "sound" ? { sound: after as Sound } : { score: after as Score };
  return { kept, inverse };
}

/**
 * Change a document: at once on screen, and on the server as soon as it answers.
 *
 * Edits of one gesture, such as a drag, become one step of undo, and those that still wait are sent
 * as one.
 */
export function edit(
  document: DocumentName,
  operations: Operation[],
  label: string,
  gesture: string | null = null,
) {
  if (operations.length === 0) return;
  const { kept, inverse: back } = written(document, operations);
  const state = useSession.getState();
  const last = state.done.at(-1);
  const goesOn = gesture !== null && gesture === lastGesture && last?.document === document;
  const change = goesOn
    ? Object.assign(last, {
        forward: joined(last.forward, operations),
        back: joined(back, last.back),
      })
    : { document, label, forward: operations, back };
  const done = goesOn ? state.done : [...state.done, change].slice(-DEEPEST_UNDO);
  // One change of state, since everything on screen that reads of the sound is asked at each.
  useSession.setState({ ...kept, done, undone: state.undone.length > 0 ? [] : state.undone });
  lastGesture = gesture;
  current?.add({ document, operations, gesture, change });
}

/** The next edit begins a new step of undo, even if it is of the same gesture. */
export function endGesture() {
  lastGesture = null;
  current?.endGesture();
}

/** Take back what the gesture that goes on has changed, as if it had not begun. */
export function takeBack() {
  if (lastGesture !== null) {
    undo();
    useSession.setState((state) => ({ undone: state.undone.slice(0, -1) }));
  }
  endGesture();
}

export function undo() {
  step("done", "undone", "back");
}

export function redo() {
  step("undone", "done", "forward");
}

function step(from: "done" | "undone", to: "done" | "undone", direction: "forward" | "back") {
  const state = useSession.getState();
  const change = state[from].at(-1);
  if (!change) return;
  const operations = change[direction];
  useSession.setState({
    ...written(change.document, operations).kept,
    [from]: state[from].slice(0, -1),
    [to]: [...state[to], change],
  });
  lastGesture = null;
  keepSelection();
  current?.add({ document: change.document, operations, gesture: null, change });
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

/** Whether an edit of ours is still on its way; news of our own edits need no reload. */
export function unsent(): boolean {
  return current?.unsent ?? false;
}

export function knownRevision(): number {
  return current?.revision ?? 0;
}
