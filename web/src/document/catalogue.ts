import type { Bus, Layer, Modulator, Sound, Value } from "../api/client";

export interface Parameter {
  key: string;
  name: string;
  help: string;
  unit: string;
  low: number;
  high: number;
  default: number | string | boolean | number[];
  kind: "number" | "integer" | "choice" | "switch" | "time" | "numbers" | "reference";
  scale: "linear" | "logarithmic" | "decibel";
  moves: "no" | "per note" | "shared";
  depth_unit: string;
  depth_limit: number;
  choices: { value: string; name: string }[];
  when: { key: string; is: string[] } | null;
  /** How many numbers a list may hold. */
  most: number;
  /** What a reference names: a recording, a table, a layer, or a kind of item. */
  of: string;
  /** Whether what refers to something makes no sense without it. */
  needed: boolean;
}

/** How many items of a kind a source may hold. */
export interface Items {
  kind: string;
  fewest: number;
  most: number;
}

export interface Module {
  family: string;
  kind: string;
  name: string;
  help: string;
  parameters: Parameter[];
  items: Items[];
  picture: string;
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

/** A module's defaults, with a recording for each parameter that names one. */
function filled(module: Module, recording: string): Record<string, Value> {
  const named = module.parameters.filter((p) => p.kind === "reference" && p.of === "recording");
  return {
    ...defaultParams(module),
    ...Object.fromEntries(named.map((p) => [p.key, recording])),
  };
}

/** A new source of a kind, with the items that it cannot be without. */
export function newSource(catalogue: Catalogue, kind: string, recording = ""): Layer["source"] {
  const module = catalogue.module("source", kind);
  return {
    id: "source",
    kind,
    params: filled(module, recording),
    items: module.items.flatMap((rule) =>
      Array.from({ length: rule.fewest }, (_, i) => ({
        id: `${rule.kind}${i + 1}`,
        kind: rule.kind,
        params: filled(catalogue.module("item", rule.kind), recording),
      })),
    ),
  };
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
    ...itemParts(layer, index),
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

/** The things that a layer's source is made of, such as operators or zones. */
export function itemParts(layer: Layer, index: number): PartPlace[] {
  const counts = new Map<string, number>();
  return layer.source.items.map((item, i) => {
    const number = (counts.get(item.kind) ?? 0) + 1;
    counts.set(item.kind, number);
    const title = `${item.kind.replaceAll("_", " ")} ${number}`;
    return place(
      item,
      "item",
      `${layer.id}.${layer.source.id}`,
      `/layers/${index}/source/items/${i}`,
      layer.name,
      title[0]?.toUpperCase() + title.slice(1),
    );
  });
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
