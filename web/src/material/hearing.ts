/** Hearing material in the browser, beside what the engine plays. */

import { create } from "zustand";

interface Hearing {
  /** What is heard, by a name of the caller's. */
  what: string | null;
}

export const useHearing = create<Hearing>(() => ({ what: null }));

const FADE = 0.015;

let context: AudioContext | null = null;
let playing: { node: AudioBufferSourceNode; level: GainNode } | null = null;
let turn = 0;

function letFade(sound: NonNullable<typeof playing>, now: number) {
  sound.level.gain.setValueAtTime(1, now);
  sound.level.gain.linearRampToValueAtTime(0, now + FADE);
  sound.node.stop(now + FADE);
}

export function hush() {
  turn++;
  if (playing && context) letFade(playing, context.currentTime);
  playing = null;
  useHearing.setState({ what: null });
}

/** Play a WAV file; a loop in seconds is repeated until something else is heard.
 *
 * Heard again under the same name, what sounds goes on until the new one takes over.
 */
export async function hear(
  what: string,
  audio: () => Promise<ArrayBuffer>,
  loop: { start: number; end: number } | null = null,
  from = 0,
): Promise<void> {
  if (useHearing.getState().what !== what) hush();
  const mine = ++turn;
  context ??= new AudioContext();
  await context.resume();
  useHearing.setState({ what });
  let buffer: AudioBuffer;
  try {
    buffer = await context.decodeAudioData(await audio());
  } catch (error) {
    if (mine === turn) hush();
    throw error;
  }
  if (mine !== turn) return;
  const now = context.currentTime;
  if (playing) letFade(playing, now);
  const node = context.createBufferSource();
  const level = context.createGain();
  node.buffer = buffer;
  if (loop) {
    node.loop = true;
    node.loopStart = loop.start;
    node.loopEnd = loop.end;
  }
  node.connect(level).connect(context.destination);
  level.gain.setValueAtTime(0, now);
  level.gain.linearRampToValueAtTime(1, now + (from > 0 ? FADE : 0));
  node.onended = () => {
    if (playing?.node === node) hush();
  };
  node.start(now, from);
  playing = { node, level };
}
