/** The playhead's place: told to those who draw it, so that nothing else is touched as it moves. */

import { useEffect, useRef } from "react";
import { player } from "../stage/audio";

type Tick = (seconds: number) => void;
const ticks = new Map<Tick, number>();
let length = 1;
let last = -1;
let count = 0;
let running = false;

function frame() {
  const at = player.position();
  count++;
  if (at !== last) {
    for (const [tick, every] of ticks) if (count % every === 0) tick(at);
    if (count % SELDOM === 0) last = at;
  }
  requestAnimationFrame(frame);
}

/** Strips and modulators are told of the playhead only every so many frames. */
export const SELDOM = 4;

export function followPlayhead(scoreLength: number) {
  length = scoreLength;
  last = -1;
  if (!running) {
    running = true;
    requestAnimationFrame(frame);
  }
}

/** Hear of the playhead's moves, each or every so many frames; returns how to stop. */
export function onPlayhead(tick: Tick, every = 1): () => void {
  ticks.set(tick, every);
  tick(player.position());
  return () => {
    ticks.delete(tick);
  };
}

/** A ref for an element as wide as the time axis, which is shifted to where the playhead is. */
export function usePlayhead<Kind extends HTMLElement>(every = 1) {
  const ref = useRef<Kind>(null);
  useEffect(
    () =>
      onPlayhead((seconds) => {
        const share = Math.min(1, seconds / length);
        if (ref.current) ref.current.style.transform = `translateX(${(share * 100).toFixed(3)}%)`;
      }, every),
    [every],
  );
  return ref;
}
