import type { PartPlace } from "../document/catalogue";
import { removePart } from "../document/edits";
import { valueAt } from "../document/patch";
import { change } from "../session/change";
import { Menu, type MenuEntry } from "../ui/Menu";

/** What can be done with one filter, effect or send: bypass, order, removal. */
export function PartActions({
  place,
  bypass,
  siblings,
}: {
  place: PartPlace;
  bypass?: boolean;
  siblings?: number;
}) {
  const index = Number(place.pointer.slice(place.pointer.lastIndexOf("/") + 1));
  const list = place.pointer.slice(0, place.pointer.lastIndexOf("/"));
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
  if (siblings !== undefined && siblings > 1) {
    const move = (by: number) =>
      change("Reorder", (sound) => [
        { op: "remove", path: place.pointer },
        { op: "add", path: `${list}/${index + by}`, value: valueAt(sound, place.pointer) },
      ]);
    entries.push({ name: "Earlier", disabled: index === 0, act: () => move(-1) });
    entries.push({ name: "Later", disabled: index === siblings - 1, act: () => move(1) });
  }
  entries.push({
    name: "Remove",
    act: () => change("Remove", (s) => removePart(s, place.path, place.pointer)),
  });
  return <Menu button="⋯" label="More" entries={entries} />;
}
