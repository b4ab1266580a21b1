import type { Sound } from "../api/client";
import type { Catalogue } from "./catalogue";
import { sourcesOf } from "./sources";

/** A slot of the chain that can be measured, by the core's name for it. */
export interface Slot {
  slot: string;
  name: string;
  /** The layer, bus or master that it belongs to. */
  owner: string;
}

interface Part {
  id: string;
  kind: string;
}

/** The slots of all chains in the order in which a signal passes them. */
export function slotsOf(catalogue: Catalogue, sound: Sound): Slot[] {
  const found: Slot[] = [];
  const add = (owner: { id: string; name: string }) => {
    const named = (slot: string, name: string) => found.push({ slot, name, owner: owner.name });
    const parts = (family: "filter" | "effect", list: Part[]) => {
      const names = list.map((part) => catalogue.module(family, part.kind).name);
      list.forEach((part, i) => {
        const alike = names.filter((name) => name === names[i]).length > 1;
        named(`${owner.id}.${part.id}`, alike ? `${names[i]} (${i + 1})` : (names[i] ?? ""));
      });
    };
    return { named, parts };
  };
  for (const layer of sound.layers) {
    const { named, parts } = add(layer);
    for (const source of sourcesOf(layer)) {
      named(`${layer.id}.${source.id}`, catalogue.module("source", source.kind).name);
    }
    parts("filter", layer.filters);
    named(`${layer.id}.${layer.envelope.id}`, "Envelope");
    parts("effect", layer.inserts);
    named(layer.id, "Post-fader");
  }
  for (const bus of sound.buses) {
    const { named, parts } = add(bus);
    named(`${bus.id}.input`, "Input");
    parts("effect", bus.effects);
    named(bus.id, "Post-fader");
  }
  const { named, parts } = add({ id: "master", name: "Master" });
  named("master.input", "Input");
  parts("effect", sound.master.effects);
  return found;
}
