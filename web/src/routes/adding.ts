import type { Catalogue } from "../document/catalogue";
import { newModulator } from "../document/edits";
import { edit, useSession } from "../session/store";
import type { MenuEntry } from "../ui/Menu";

/** One entry for each kind of modulator; choosing it adds one, selects it and says its id. */
export function addModulatorEntries(
  catalogue: Catalogue,
  then?: (id: string) => void,
): MenuEntry[] {
  const count = useSession.getState().sound?.modulators.length ?? 0;
  return catalogue.family("modulator").map((module) => ({
    name: module.name,
    help: module.help,
    group: module.category,
    disabled: count >= catalogue.limits.modulators,
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
