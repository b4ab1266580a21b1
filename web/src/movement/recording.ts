/** A macro's moves while listening, taken down as a lane. */

import { create } from "zustand";
import type { Sound } from "../api/client";
import { inSeconds, type Point, setPoints, thinned } from "../document/lanes";
import type { Operation } from "../document/patch";
import { player } from "../live/audio";
import { useLive } from "../live/socket";
import { change } from "../session/change";
import { useSession } from "../session/store";

interface Recording {
  /** The modulator whose value is taken down. */
  modulator: string | null;
}

export const useRecording = create<Recording>(() => ({ modulator: null }));

/** How far points may lie from what was moved, in per cent of the value. */
const TOLERANCE = 0.8;

let taken: Point[] = [];
let stopWatching: () => void = () => undefined;

/** What was drawn before, with what was taken down in its place where it was taken down. */
export function joined(before: Point[], fresh: Point[]): Point[] {
  const [first, last] = [fresh[0], fresh.at(-1)];
  if (!first || !last) return before;
  return [
    ...before.filter((p) => p.time < first.time),
    ...fresh,
    ...before.filter((p) => p.time > last.time),
  ];
}

function readValue(id: string): number | null {
  const found = useSession.getState().sound?.modulators.find((m) => m.id === id);
  return typeof found?.params.value === "number" ? found.params.value : null;
}

/** The operations that mute a parameter's lane or let it act, where there is one. */
function muting(sound: Sound, address: string, muted: boolean): Operation[] {
  const index = sound.lanes.findIndex((lane) => lane.to === address);
  return index < 0 ? [] : [{ op: "replace", path: `/lanes/${index}/muted`, value: muted }];
}

/** Begin to take down a macro's moves; what was drawn before is silent meanwhile. */
export function startRecording(id: string) {
  stopRecording();
  change("Record", (sound) => muting(sound, `${id}.value`, true));
  taken = [];
  const note = () => {
    const value = readValue(id);
    const time = Number(player.position().toFixed(3));
    if (value === null || !useLive.getState().playing) return;
    const last = taken.at(-1);
    if (last && time < last.time) return; // a loop has turned; what comes again is not taken
    if (last?.time === time) last.value = value;
    else taken.push({ time, value, bend: 0 });
  };
  // A value that rests is taken down where it begins to move, so that it is not a slow slope.
  let known = readValue(id);
  const unsubscribe = useSession.subscribe(() => {
    const value = readValue(id);
    if (value === known) return;
    const time = Number(player.position().toFixed(3));
    const last = taken.at(-1);
    if (known !== null && last && time - last.time > 0.25) {
      taken.push({ time: Number((time - 0.05).toFixed(3)), value: known, bend: 0 });
    }
    known = value;
    note();
  });
  const stopped = useLive.subscribe((now, before) => {
    if (!now.playing && before.playing) stopRecording();
    if (now.playing && !before.playing) note();
  });
  note();
  stopWatching = () => {
    note();
    unsubscribe();
    stopped();
  };
  useRecording.setState({ modulator: id });
}

/** End it: what was taken down becomes the macro's lane, in one step. */
export function stopRecording() {
  const { modulator } = useRecording.getState();
  if (modulator === null) return;
  stopWatching();
  useRecording.setState({ modulator: null });
  const address = `${modulator}.value`;
  const fresh = taken.length < 2 ? [] : thinned(taken, TOLERANCE, (value) => value);
  change("Record macro", (sound, score) => {
    const lane = sound.lanes.find((one) => one.to === address);
    const before = lane ? inSeconds(lane, score) : [];
    const drawn = fresh.length > 0 ? setPoints(sound, address, joined(before, fresh), score) : [];
    return [...muting(sound, address, false), ...drawn];
  });
}
