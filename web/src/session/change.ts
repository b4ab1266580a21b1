import type { Score, Sound } from "../api/client";
import type { Operation } from "../document/patch";
import { edit, useSession } from "./store";

/** Edit the sound as it is now; edits of one gesture are one step of undo. */
export function change(
  label: string,
  make: (sound: Sound, score: Score) => Operation[],
  gesture: string | null = null,
) {
  const { sound, score } = useSession.getState();
  if (sound && score) edit("sound", make(sound, score), label, gesture);
}
