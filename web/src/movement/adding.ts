import type { Catalogue } from "../document/catalogue";
import { newModulator } from "../document/edits";
import { edit, useSession } from "../session/store";
import type { MenuEntry } from "../ui/Menu";

const MOST = 32;

/** One entry for each kind of modulator; choosing it adds one, selects it and says its id. */
export function addModulatorEntries(
  catalogue: Catalogue,
  then?: (id: string) => void,
): MenuEntry[] {
  const count = useSession.getState().sound?.modulators.length ?? 0;
  return ["lfo", "random", "envelope", ...catalogue.family("modulator").map((m) => m.kind)]
    .filter((kind, i, kinds) => kinds.indexOf(kind) === i)
    .map((kind) => catalogue.module("modulator", kind))
    .map((module) => ({
      name: module.name,
      help: module.help,
      disabled: count >= MOST,
      act: () => {
        const { sound } = useSession.getState();
        if (!sound) return;
        const modulator = newModulator(sound, catalogue, module.kind);
        edit(
          "sound",
          [{ op: "add", path: "/modulators/-", value: modulator }],
          `Add ${modulator.name}`,
        );
        useSession.setState({ modulator: modulator.id });
        then?.(modulator.id);
      },
    }));
}
