/** The computer keyboard as a piano: two rows, from C, by the keys' places. */

const OFFSETS: Record<string, number> = {
  KeyA: 0,
  KeyW: 1,
  KeyS: 2,
  KeyE: 3,
  KeyD: 4,
  KeyF: 5,
  KeyT: 6,
  KeyG: 7,
  KeyY: 8,
  KeyH: 9,
  KeyU: 10,
  KeyJ: 11,
  KeyK: 12,
  KeyO: 13,
  KeyL: 14,
  KeyP: 15,
  Semicolon: 16,
};

/** The MIDI key for a computer key, with `base` on the A key; null if it plays nothing. */
export function midiKey(code: string, base: number): number | null {
  const offset = OFFSETS[code];
  if (offset === undefined) return null;
  const key = base + offset;
  return key <= 127 ? key : null;
}

/** Whether somebody is writing, so that letters are letters. */
export function writing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (["INPUT", "SELECT", "TEXTAREA"].includes(target.tagName) || target.isContentEditable === true)
  );
}
