/** Hearing material in the browser, beside what the engine plays. */

import { create } from "zustand";

interface Hearing {
  /** What is heard, by a name of the caller's. */
  what: string | null;
}

export const useHearing = create<Hearing>(() => ({ what: null }));

let context: AudioContext | null = null;
let source: AudioBufferSourceNode | null = null;

export function hush() {
  source?.stop();
  source = null;
  useHearing.setState({ what: null });
}

/** Play a WAV file; a loop in seconds is repeated until something else is heard. */
export async function hear(
  what: string,
  audio: () => Promise<ArrayBuffer>,
  loop: { start: number; end: number } | null = null,
  from = 0,
): Promise<void> {
  hush();
  context ??= new AudioContext();
  await context.resume();
  useHearing.setState({ what });
  const buffer = await context.decodeAudioData(await audio());
  if (useHearing.getState().what !== what) return;
  const node = context.createBufferSource();
  node.buffer = buffer;
  if (loop) {
    node.loop = true;
    node.loopStart = loop.start;
    node.loopEnd = loop.end;
  }
  node.connect(context.destination);
  node.onended = () => {
    if (source === node) hush();
  };
  node.start(0, from);
  source = node;
}

/** Move the loop that is heard, while it sounds. */
export function moveLoop(start: number, end: number) {
  if (!source?.loop) return;
  source.loopStart = start;
  source.loopEnd = end;
}
