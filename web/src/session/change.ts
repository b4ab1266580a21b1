import type { Sound } from "../api/client";
import type { Operation } from "../document/patch";
import { edit, useSession } from "./store";

/** Edit the sound as it is now; edits of one gesture are one step of undo. */
export function change(
  label: string,
  make: (sound: Sound) => Operation[],
  gesture: string | null = null,
) {
  const { sound } = useSession.getState();
  if (sound) edit("sound", make(sound), label, gesture);
}
