/** The entries of a menu that copy a chain, and paste what has been copied. */

import { pasted } from "../document/chains";
import { change } from "../session/change";
import { useCatalogue } from "../ui/catalogue-context";
import type { MenuEntry } from "../ui/Menu";
import { copy, useCopied } from "./copied";

const GROUP = "Copies";

/** Copy a chain, and paste what was copied behind what stands in it. */
export function useCopyEntries(
  family: "filter" | "effect",
  siblings: { id: string }[],
  pointer: string,
): MenuEntry[] {
  const catalogue = useCatalogue();
  const copied = useCopied();
  const most = family === "filter" ? catalogue.limits.filters : catalogue.limits.effects;
  const entries: MenuEntry[] = [];
  if (copied.family === family) {
    const names = copied.chain.parts.map((part) => catalogue.module(family, part.kind).name);
    entries.push({
      name: names.length === 1 ? `Paste ${names[0]}` : `Paste ${names.length} ${family}s`,
      help: names.length === 1 ? undefined : names.join(", "),
      group: GROUP,
      disabled: siblings.length >= most,
      act: () =>
        change("Paste", (sound) => pasted(sound, copied.chain, pointer, most, catalogue.limits)),
    });
  }
  if (siblings.length > 0) {
    entries.push({
      name: `Copy these ${family}s`,
      help: "All that stand here and what moves them, to be pasted elsewhere, also into another sound.",
      group: GROUP,
      act: () => copy(family, pointer),
    });
  }
  return entries;
}
