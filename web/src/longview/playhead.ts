/** The playhead's position: given to those who draw it, so that nothing else is touched as it moves. */

import { useEffect, useRef } from "react";
import { player } from "../live/audio";

type Tick = (seconds: number) => void;

/** How often the playhead is looked at, and how far it goes before anybody is notified. */
const LOOK_MS = 50;
const PIXELS = 1200;
const TENTH = 0.1;
/** Strips and modulators are notified only after so many moves. */
export const SELDOM = 4;

const ticks = new Map<Tick, number>();
let length = 1;
let last = -1;
let count = 0;
let running = false;

/** The smallest move that can be seen: a pixel of the long view, or a tenth on the clock. */
export function smallestMove(scoreLength: number): number {
  return Math.min(TENTH, scoreLength / PIXELS);
}

function look() {
  const at = player.position();
  const moved = Math.abs(at - last);
  if (moved < 0.9 * smallestMove(length)) return;
  last = at;
  count++;
  const jumped = moved > 1;
  for (const [tick, every] of ticks) if (jumped || count % every === 0) tick(at);
}

export function followPlayhead(scoreLength: number) {
  length = scoreLength;
  last = -1;
  if (!running) {
    running = true;
    // Not with every frame: painting the whole window takes time that listening needs.
    setInterval(look, LOOK_MS);
  }
}

/** Hear of the playhead's moves, each or every so many of them; returns how to stop. */
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
        const fraction = Math.min(1, seconds / length);
        if (ref.current)
          ref.current.style.transform = `translateX(${(fraction * 100).toFixed(3)}%)`;
      }, every),
    [every],
  );
  return ref;
}
