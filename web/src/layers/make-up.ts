import type { Catalogue } from "../document/catalogue";
import { madeUp } from "../document/make-up";
import { shownNumber } from "../document/values";
import { askForMakeUp } from "../live/socket";
import { notify } from "../notices/notices";
import { edit, useSession } from "../session/store";

/** Measure an effect, and set its output so that it makes nothing louder or softer. */
export async function makeUp(catalogue: Catalogue, path: string, name: string) {
  const { soundId } = useSession.getState();
  notify(`Measuring how loud it is ahead of “${name}” and behind it…`, "news");
  const decibels = await askForMakeUp(path);
  const { sound, soundId: open } = useSession.getState();
  if (open !== soundId || !sound) return;
  if (decibels === undefined) {
    notify(`“${name}” was not measured: the connection was lost, or another was measured instead.`);
    return;
  }
  if (decibels === null) {
    notify(`Nothing is heard through “${name}”, so there is nothing to match.`, "news");
    return;
  }
  const made = madeUp(sound, catalogue, path, decibels);
  if (!made) return;
  edit("sound", made.operations, "Match loudness");
  const sign = made.output > 0 ? "+" : "";
  notify(
    `The output of “${name}” is ${sign}${shownNumber(made.output, 1)} dB now; it was ${shownNumber(
      Math.abs(decibels),
      1,
    )} dB too ${decibels < 0 ? "loud" : "soft"}.`,
    "news",
  );
}
