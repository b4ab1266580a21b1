import type { Bus, Layer, Modulator, Sound, Value } from "../api/client";

export interface Parameter {
  key: string;
  name: string;
  help: string;
  unit: string;
  low: number;
  high: number;
  default: number | string | boolean;
  kind: "number" | "integer" | "choice" | "switch" | "time";
  scale: "linear" | "logarithmic" | "decibel";
  moves: "no" | "per note" | "shared";
  depth_unit: string;
  depth_limit: number;
  choices: { value: string; name: string }[];
  when: { key: string; is: string[] } | null;
}

export interface Module {
  family: string;
  kind: string;
  name: string;
  help: string;
  parameters: Parameter[];
}

export class Catalogue {
  private readonly byKind = new Map<string, Module>();

  constructor(readonly modules: Module[]) {
    for (const module of modules) this.byKind.set(`${module.family}/${module.kind}`, module);
  }

  module(family: string, kind: string): Module {
    const found = this.byKind.get(`${family}/${kind}`);
    if (!found) throw new Error(`The catalogue has no ${family} ${kind}`);
    return found;
  }

  family(family: string): Module[] {
    return this.modules.filter((module) => module.family === family);
  }
}

/** A parameter's default as a document holds it. */
export function defaultValue(parameter: Parameter): Value {
  if (parameter.kind === "time") return { value: Number(parameter.default), unit: "s" };
  return parameter.default;
}

export function defaultParams(module: Module): Record<string, Value> {
  return Object.fromEntries(module.parameters.map((p) => [p.key, defaultValue(p)]));
}

/** Whether a parameter does something, given the others of its module. */
export function applies(parameter: Parameter, params: Record<string, Value>): boolean {
  return !parameter.when || parameter.when.is.includes(String(params[parameter.when.key]));
}

/** A part of a sound, where it lies in the document and what it is called. */
export interface PartPlace {
  path: string;
  pointer: string;
  family: string;
  kind: string;
  params: Record<string, Value>;
  owner: string;
  title: string;
}

interface PartLike {
  id: string;
  kind: string;
  params: Record<string, Value>;
}

function place(
  part: PartLike,
  family: string,
  prefix: string,
  pointer: string,
  owner: string,
  title: string,
): PartPlace {
  const path = prefix ? `${prefix}.${part.id}` : part.id;
  return { path, pointer, family, kind: part.kind, params: part.params, owner, title };
}

export function layerParts(layer: Layer, index: number): PartPlace[] {
  const at = `/layers/${index}`;
  return [
    place(layer, "part", "", at, layer.name, ""),
    place(layer.source, "source", layer.id, `${at}/source`, layer.name, "Source"),
    ...layer.filters.map((filter, i) =>
      place(filter, "filter", layer.id, `${at}/filters/${i}`, layer.name, `Filter ${i + 1}`),
    ),
    place(layer.envelope, "part", layer.id, `${at}/envelope`, layer.name, "Envelope"),
    ...layer.inserts.map((effect, i) =>
      place(effect, "effect", layer.id, `${at}/inserts/${i}`, layer.name, `Insert ${i + 1}`),
    ),
    ...layer.sends.map((send, i) =>
      place(send, "part", layer.id, `${at}/sends/${i}`, layer.name, "Send"),
    ),
  ];
}

export function busParts(bus: Bus, index: number): PartPlace[] {
  const at = `/buses/${index}`;
  return [
    place(bus, "part", "", at, bus.name, ""),
    ...bus.effects.map((effect, i) =>
      place(effect, "effect", bus.id, `${at}/effects/${i}`, bus.name, ""),
    ),
  ];
}

export function masterParts(sound: Sound): PartPlace[] {
  return [
    place(sound.master, "part", "", "/master", "Master", ""),
    ...sound.master.effects.map((effect, i) =>
      place(effect, "effect", "master", `/master/effects/${i}`, "Master", ""),
    ),
  ];
}

export function modulatorPart(modulator: Modulator, index: number): PartPlace {
  return place(modulator, "modulator", "", `/modulators/${index}`, modulator.name, "");
}

/** Every part of a sound that parameters may be moved in. */
export function movableParts(sound: Sound): PartPlace[] {
  return [
    ...sound.layers.flatMap(layerParts),
    ...sound.buses.flatMap(busParts),
    ...masterParts(sound),
  ];
}

export interface Target {
  address: string;
  parameter: Parameter;
  place: PartPlace;
  label: string;
}

/** Every parameter of a sound that a route may lead to, with a readable name. */
export function targets(sound: Sound, catalogue: Catalogue): Target[] {
  return movableParts(sound).flatMap((part) => {
    const module = catalogue.module(part.family, part.kind);
    const title = part.title || (part.family === "effect" ? module.name : "");
    return module.parameters
      .filter((p) => p.moves !== "no" && applies(p, part.params))
      .map((parameter) => ({
        address: `${part.path}.${parameter.key}`,
        parameter,
        place: part,
        label:
          title && title !== "Source" && title !== "Send"
            ? `${title} ${parameter.name.toLowerCase()}`
            : parameter.name,
      }));
  });
}
