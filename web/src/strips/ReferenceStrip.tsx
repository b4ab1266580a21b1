import { memo, useId, useMemo } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Sound } from "../api/client";
import type { Parameter, PartPlace } from "../document/catalogue";
import { valueAt } from "../document/patch";
import { sourcesOf } from "../document/sources";
import { openMaterial, useMaterial } from "../material/library";
import { edit, useSession } from "../session/store";

interface Named {
  id: string;
  name: string;
}

export function itemName(kind: string, number: number): string {
  const plain = kind.replaceAll("_", " ");
  return `${plain[0]?.toUpperCase()}${plain.slice(1)} ${number}`;
}

/** What a reference to a layer or an item may name, as ids and names in turn. */
function nameable(sound: Sound, place: PartPlace, parameter: Parameter): string[] {
  const [layerId = "", sourceId = ""] = place.path.split(".");
  if (parameter.of === "layer") {
    return sound.layers.filter((l) => l.id !== layerId).flatMap((l) => [l.id, l.name]);
  }
  const layer = sound.layers.find((l) => l.id === layerId);
  const source = layer && sourcesOf(layer).find((one) => one.id === sourceId);
  const items = source?.items.filter((item) => item.kind === parameter.of) ?? [];
  return items.flatMap((item, i) => [item.id, itemName(parameter.of, i + 1)]);
}

function useNames(place: PartPlace, parameter: Parameter): Named[] {
  const material = useMaterial();
  const flat = useSession(useShallow((s) => (s.sound ? nameable(s.sound, place, parameter) : [])));
  return useMemo(() => {
    if (parameter.of === "recording" || parameter.of === "table") {
      return (material.data ?? [])
        .filter((m) => m.card.kind === parameter.of)
        .map((m) => ({ id: m.card.key, name: m.card.name }));
    }
    return flat.flatMap((id, i) => (i % 2 ? [] : [{ id, name: flat[i + 1] ?? id }]));
  }, [material.data, flat, parameter.of]);
}

/** A parameter that names a recording, a table, a layer, or another item of the same source. */
export const ReferenceStrip = memo(function ReferenceStrip({
  place,
  parameter,
}: {
  place: PartPlace;
  parameter: Parameter;
}) {
  const pointer = `${place.pointer}/params/${parameter.key}`;
  const value = useSession((s) => (s.sound ? String(valueAt(s.sound, pointer)) : ""));
  const names = useNames(place, parameter);
  const id = useId();
  const isMaterial = parameter.of === "recording" || parameter.of === "table";
  const missing = value !== "" && !names.some((n) => n.id === value);
  return (
    <div
      className="relative h-[50px] border border-line bg-paper focus-within:border-ink"
      title={parameter.help}
      data-address={`${place.path}.${parameter.key}`}
    >
      <label htmlFor={id} className="absolute left-[6px] top-[3px] text-slate">
        {parameter.name}
      </label>
      {isMaterial && (
        <button
          type="button"
          className="button-plain absolute right-0 top-0 text-xs"
          aria-label={`Open material for ${parameter.name}`}
          onClick={() => openMaterial(value || null)}
        >
          open
        </button>
      )}
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
        {missing && <option value={value}>Missing ({value})</option>}
        {names.map((named) => (
          <option key={named.id} value={named.id}>
            {named.name}
          </option>
        ))}
      </select>
    </div>
  );
});
