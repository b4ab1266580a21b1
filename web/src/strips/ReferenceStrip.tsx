import { memo, useId } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Sound } from "../api/client";
import type { Parameter, PartPlace } from "../document/catalogue";
import { valueAt } from "../document/patch";
import { edit, useSession } from "../session/store";

interface Named {
  id: string;
  name: string;
}

/** What a reference to a layer or an item may name. */
function nameable(sound: Sound, place: PartPlace, parameter: Parameter): Named[] {
  const [layerId = ""] = place.path.split(".");
  if (parameter.of === "layer") {
    return sound.layers.filter((layer) => layer.id !== layerId);
  }
  const layer = sound.layers.find((l) => l.id === layerId);
  const items = layer?.source.items.filter((item) => item.kind === parameter.of) ?? [];
  return items
    .map((item, i) => ({
      id: item.id,
      name: `${parameter.of[0]?.toUpperCase()}${parameter.of.slice(1)} ${i + 1}`,
    }))
    .filter((item) => !place.path.endsWith(`.${item.id}`));
}

/** A parameter that names a layer, or another item of the same source. */
export const ReferenceStrip = memo(function ReferenceStrip({
  place,
  parameter,
}: {
  place: PartPlace;
  parameter: Parameter;
}) {
  const pointer = `${place.pointer}/params/${parameter.key}`;
  const value = useSession((s) => (s.sound ? String(valueAt(s.sound, pointer)) : ""));
  const names = useSession(
    useShallow((s) =>
      s.sound ? nameable(s.sound, place, parameter).flatMap((n) => [n.id, n.name]) : [],
    ),
  );
  const id = useId();
  const options = names.flatMap((entry, i) => (i % 2 ? [] : [[entry, names[i + 1]] as const]));
  return (
    <div
      className="relative h-[50px] border border-line bg-paper focus-within:border-ink"
      title={parameter.help}
      data-address={`${place.path}.${parameter.key}`}
    >
      <label htmlFor={id} className="absolute left-[6px] top-[3px] text-slate">
        {parameter.name}
      </label>
      <select
        id={id}
        value={value}
        className="absolute inset-x-[3px] bottom-[3px] rounded-sm bg-paper px-0.5 font-bold"
        onChange={(event) =>
          edit(
            "sound",
            [{ op: "replace", path: pointer, value: event.target.value }],
            parameter.name,
          )
        }
      >
        <option value="">None</option>
        {options.map(([key, name]) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </select>
    </div>
  );
});
