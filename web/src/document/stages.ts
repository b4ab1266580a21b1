import type { Sound } from "../api/client";
import type { Catalogue } from "./catalogue";

/** A stage of the chain that can be measured, by the core's name for it. */
export interface Stage {
  stage: string;
  name: string;
  /** The layer, bus or master that it belongs to. */
  owner: string;
}

interface Part {
  id: string;
  kind: string;
}

/** The stages of all chains in the order in which a signal passes them. */
export function stagesOf(catalogue: Catalogue, sound: Sound): Stage[] {
  const found: Stage[] = [];
  const add = (owner: { id: string; name: string }) => {
    const named = (stage: string, name: string) => found.push({ stage, name, owner: owner.name });
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
    named(`${layer.id}.${layer.source.id}`, catalogue.module("source", layer.source.kind).name);
    parts("filter", layer.filters);
    named(`${layer.id}.${layer.envelope.id}`, "Envelope");
    parts("effect", layer.inserts);
    named(layer.id, "Behind its fader");
  }
  for (const bus of sound.buses) {
    const { named, parts } = add(bus);
    named(`${bus.id}.input`, "What comes in");
    parts("effect", bus.effects);
    named(bus.id, "Behind its fader");
  }
  const { named, parts } = add({ id: "master", name: "Master" });
  named("master.input", "What comes in");
  parts("effect", sound.master.effects);
  return found;
}
