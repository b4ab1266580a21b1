/** Edits that cannot be saved where they belong, kept as a sound of their own. */

import { type Schemas, upload } from "../api/client";
import { notify } from "../notices/notices";
import type { Saving } from "../session/saving";
import { goTo } from "./place";

/** Keep a sound's present state as a new sound of its cue; as a file if the server takes none. */
export async function keepCopy(saving: Saving) {
  const { sound } = saving.documents();
  const name = `${sound.name.slice(0, 70)} (copy)`;
  const text = JSON.stringify({ ...sound, name }, null, 1);
  const file = new File([text], "sound.json", { type: "application/json" });
  try {
    const made = await upload<Schemas["SoundEntry"]>(
      `/api/cues/${saving.cueId}/sounds/import`,
      file,
    );
    saving.giveUp();
    goTo(made.id);
    notify(`Your changes are kept as “${name}”.`, "news");
  } catch (error) {
    notify(
      `The copy could not be kept on the server either. ${(error as Error).message}`,
      "problem",
      {
        name: "Keep it as a file",
        act: () => download(file, saving),
      },
    );
  }
}

function download(file: File, saving: Saving) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(file);
  link.download = file.name;
  link.click();
  URL.revokeObjectURL(link.href);
  notify("The file is in your downloads; import it into a cue later.", "news", {
    name: "Give up these changes",
    act: () => saving.giveUp(),
  });
}
