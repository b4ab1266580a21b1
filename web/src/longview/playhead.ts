/** The playhead's place as a CSS variable, so that nothing is rendered anew as it moves. */

import { player } from "../stage/audio";

type Tick = (seconds: number) => void;
const ticks = new Set<Tick>();
let length = 1;
let last = -1;

function frame() {
  const at = player.position();
  if (at !== last) {
    last = at;
    document.documentElement.style.setProperty("--playhead", String(Math.min(1, at / length)));
    for (const tick of ticks) tick(at);
  }
  requestAnimationFrame(frame);
}

let running = false;

export function followPlayhead(scoreLength: number) {
  length = scoreLength;
  last = -1;
  if (!running) {
    running = true;
    requestAnimationFrame(frame);
  }
}

/** Hear of every move of the playhead; returns how to stop. */
export function onPlayhead(tick: Tick): () => void {
  ticks.add(tick);
  tick(player.position());
  return () => {
    ticks.delete(tick);
  };
}
