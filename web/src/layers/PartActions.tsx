import type { Sound } from "../api/client";
import type { PartPlace } from "../document/catalogue";
import { chainOf, moveTo, type Processor, pasted, slotOf } from "../document/chains";
import { removePart } from "../document/edits";
import { valueAt } from "../document/patch";
import { change } from "../session/change";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu, type MenuEntry } from "../ui/Menu";
import { copy } from "./copied";
import { makeUp } from "./make-up";

/** What can be done with one filter, effect or send: bypass, order, copies, removal. */
export function PartActions({
  place,
  bypass,
  siblings,
}: {
  place: PartPlace;
  bypass?: boolean;
  siblings?: number;
}) {
  const catalogue = useCatalogue();
  const { limits } = catalogue;
  const slot = slotOf(place.pointer);
  const family = place.family === "filter" ? "filter" : "effect";
  const entries: MenuEntry[] = [];
  if (bypass !== undefined) {
    entries.push({
      name: bypass ? "Switch on" : "Bypass",
      act: () =>
        change("Bypass", () => [
          { op: "replace", path: `${place.pointer}/bypass`, value: !bypass },
        ]),
    });
  }
  if (place.family === "effect") {
    const { name } = catalogue.module(place.family, place.kind);
    entries.push({
      name: "Match loudness",
      help: "Sets its output so that it makes nothing louder or softer.",
      act: () => void makeUp(catalogue, place.path, name),
    });
  }
  if (siblings !== undefined && siblings > 1) {
    const move = (by: number) => change("Reorder", (sound) => moveTo(sound, slot, slot.index + by));
    entries.push({ name: "Earlier", disabled: slot.index === 0, act: () => move(-1) });
    entries.push({ name: "Later", disabled: slot.index === siblings - 1, act: () => move(1) });
  }
  if (siblings !== undefined) {
    const most = family === "filter" ? limits.filters : limits.effects;
    const own = (sound: Sound) =>
      chainOf(sound, slot.list, [valueAt(sound, place.pointer) as Processor]);
    entries.push({ name: "Copy", act: () => copy(family, slot.list, place.pointer) });
    entries.push({
      name: "Duplicate",
      disabled: siblings >= most,
      act: () => change("Duplicate", (sound) => pasted(sound, own(sound), slot.list, most, limits)),
    });
  }
  entries.push({
    name: "Remove",
    act: () => change("Remove", (s) => removePart(s, place.path, place.pointer)),
  });
  return <Menu button="⋯" label="More" entries={entries} />;
}
