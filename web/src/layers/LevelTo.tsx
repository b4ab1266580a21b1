import type { PartPlace } from "../document/catalogue";
import { LAYER_TARGET, levelled, meanLevel, SOUND_TARGET } from "../document/levelling";
import { shownNumber } from "../document/values";
import { useLive } from "../live/socket";
import { notify } from "../notices/notices";
import { edit, knownRevision, unsent, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";

/** Bring a layer, or the whole where it is the master, to a level over its length. */
export function LevelTo({ place, name }: { place: PartPlace; name: string }) {
  const catalogue = useCatalogue();
  const whole = place.kind === "master";
  const target = whole ? `${shownNumber(SOUND_TARGET)} LUFS` : `${shownNumber(LAYER_TARGET)} dB`;
  const act = () => {
    const { sound } = useSession.getState();
    const { summary, still } = useLive.getState();
    const address = `${place.path}.level`;
    const parameter = catalogue
      .module(place.family, place.kind)
      .parameters.find((p) => p.key === "level");
    if (!sound || !parameter) return;
    if (!summary || unsent() || summary.revision !== knownRevision()) {
      notify(`${name} is measured while it is drawn; do this once the long view is done.`, "news");
      return;
    }
    if (still) {
      notify(`${name} is held still; let it move, so that its level over the length is known.`);
      return;
    }
    if (sound.lanes.some((lane) => lane.to === address)) {
      notify(`The level of ${name} is drawn as a lane; scale that instead.`);
      return;
    }
    const found = whole ? summary.integrated : meanLevel(summary.slots[place.path] ?? []);
    if (found === null) {
      notify(`Nothing is heard of ${name}, so there is nothing to level.`, "news");
      return;
    }
    const aim = whole ? SOUND_TARGET : LAYER_TARGET;
    const made = levelled(sound, `${place.pointer}/params/level`, parameter, found, aim);
    edit("sound", made.operations, "Level");
    const unit = whole ? "LUFS" : "dB";
    notify(
      `${name} lay at ${shownNumber(found, 1)} ${unit} over its length, and lies at about ` +
        `${shownNumber(made.reached, 1)} ${unit} now.`,
      "news",
    );
  };
  return (
    <button
      type="button"
      className="button-plain"
      title={
        whole
          ? "Sets the level so that the whole has the loudness that EBU R 128 asks for"
          : "Sets the level so that the layer's mean over its length is that of a pad"
      }
      onClick={act}
    >
      Level to {target}
    </button>
  );
}
