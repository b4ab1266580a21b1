/** A real keyboard, by the browser's Web MIDI where there is one (W3C Web MIDI API). */

import { lift, press } from "../live/socket";
import { change } from "../session/change";
import { useSession } from "../session/store";

const NOTE_OFF = 0x80;
const NOTE_ON = 0x90;
const CONTROL = 0xb0;

/** What a MIDI message asks for (MIDI 1.0 specification): its kind, and two numbers. */
export function readMidi(data: ArrayLike<number>): { kind: number; a: number; b: number } {
  const [status = 0, a = 0, b = 0] = [data[0], data[1], data[2]];
  const kind = status & 0xf0;
  // A key that goes down without force goes up.
  return kind === NOTE_ON && b === 0 ? { kind: NOTE_OFF, a, b } : { kind, a, b };
}

/** Macros that listen to a controller go where it goes. */
export function moveMacros(controller: number, value: number) {
  const { sound } = useSession.getState();
  const moved = sound?.modulators
    .map((modulator, index) => ({ modulator, index }))
    .filter(({ modulator: { params } }) => "value" in params && params.controller === controller);
  if (!moved || moved.length === 0) return;
  change(
    "Move a controller",
    () =>
      moved.map(({ index }) => ({
        op: "replace",
        path: `/modulators/${index}/params/value`,
        value: Number(((value / 127) * 100).toFixed(1)),
      })),
    `controller ${controller}`,
  );
}

export function take(data: ArrayLike<number>, down: (key: number, on: boolean) => void) {
  const { kind, a, b } = readMidi(data);
  if (kind === NOTE_ON) {
    down(a, true);
    void press(a, b);
  } else if (kind === NOTE_OFF) {
    down(a, false);
    lift(a);
  } else if (kind === CONTROL) moveMacros(a, b);
}

/**
 * Listen to all MIDI inputs, also to those that are plugged in later.
 *
 * Returns how to stop; `onInputs` hears how many inputs there are, or null where there is no Web MIDI.
 */
export async function listenToMidi(
  down: (key: number, on: boolean) => void,
  onInputs: (inputs: number | null) => void,
): Promise<() => void> {
  if (!navigator.requestMIDIAccess) {
    onInputs(null);
    return () => undefined;
  }
  try {
    const access = await navigator.requestMIDIAccess();
    const connect = () => {
      const inputs = [...access.inputs.values()];
      for (const input of inputs) {
        input.onmidimessage = (event) => event.data && take(event.data, down);
      }
      onInputs(inputs.length);
    };
    access.onstatechange = connect;
    connect();
    return () => {
      access.onstatechange = null;
      for (const input of access.inputs.values()) input.onmidimessage = null;
    };
  } catch {
    onInputs(null);
    return () => undefined;
  }
}
