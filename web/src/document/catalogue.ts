import type { Bus, Effect, Layer, Modulator, Schemas, Sound, Value } from "../api/client";
import { valueAt } from "./patch";
import { sourcePointer, sourcesOf } from "./sources";

export type Parameter = Schemas["ParameterOut"];
export type Module = Schemas["ModuleOut"];
export type Limits = Schemas["LimitsOut"];

/** Whether a modulator stands among the macros, as a handle that is moved by hand. */
export function isHandle(catalogue: Catalogue, modulator: { kind: string }): boolean {
  return catalogue.module("modulator", modulator.kind).editor === "handle";
}

export class Catalogue {
  private readonly byKind = new Map<string, Module>();

  constructor(
    readonly modules: Module[],
    readonly limits: Limits,
  ) {
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

/**
 * Whether a parameter does something: what switches it on is set so, or is moved.
 *
 * `isMoved` says of a parameter of the same module whether routes lead to it.
 */
export function applies(
  module: Module,
  parameter: Parameter,
  params: Record<string, Value>,
  isMoved: (key: string) => boolean = () => false,
): boolean {
  const when = parameter.when;
  if (!when) return true;
  const value = params[when.key];
  if (when.is.length > 0) return when.is.includes(String(value));
  const switching = module.parameters.find((p) => p.key === when.key);
  return value !== switching?.off || isMoved(when.key);
}

/** A part of a sound, where it lies in the document and what it is called; not its values. */
export interface PartPlace {
  path: string;
  pointer: string;
  family: string;
  kind: string;
  owner: string;
  title: string;
}

/** Where a parameter of a part is in the document, as a JSON pointer. */
export function pointerOf(place: PartPlace, parameter: Parameter): string {
  return `${place.pointer}/params/${parameter.key}`;
}

interface PartLike {
  id: string;
  kind: string;
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
  return { path, pointer, family, kind: part.kind, owner, title };
}

export function layerParts(layer: Layer, index: number): PartPlace[] {
  const at = `/layers/${index}`;
  return [
    place(layer, "part", "", at, layer.name, ""),
    ...sourcesOf(layer).flatMap((source, i) => [
      place(
        source,
        "source",
        layer.id,
        sourcePointer(index, i),
        layer.name,
        i === 0 ? "Source" : `Source ${i + 1}`,
      ),
      ...itemParts(layer, index, i),
    ]),
    ...layer.filters.map((filter, i) =>
      place(filter, "filter", layer.id, `${at}/filters/${i}`, layer.name, `Filter ${i + 1}`),
    ),
    place(layer.envelope, "part", layer.id, `${at}/envelope`, layer.name, "Envelope"),
    ...effectParts(layer.inserts, layer.id, `${at}/inserts`, layer.name),
    ...layer.sends.map((send, i) =>
      place(send, "part", layer.id, `${at}/sends/${i}`, layer.name, "Send"),
    ),
  ];
}

/** The things that one of a layer's sources is made of, such as operators or zones. */
export function itemParts(layer: Layer, index: number, number = 0): PartPlace[] {
  const counts = new Map<string, number>();
  const source = sourcesOf(layer)[number] ?? layer.source;
  return source.items.map((item, i) => {
    const count = (counts.get(item.kind) ?? 0) + 1;
    counts.set(item.kind, count);
    const title = `${item.kind.replaceAll("_", " ")} ${count}`;
    return place(
      item,
      "item",
      `${layer.id}.${source.id}`,
      `${sourcePointer(index, number)}/items/${i}`,
      layer.name,
      title[0]?.toUpperCase() + title.slice(1),
    );
  });
}

/** The effects of a chain, and of all chains inside them. */
export function effectParts(
  effects: Effect[],
  prefix: string,
  pointer: string,
  owner: string,
): PartPlace[] {
  return effects.flatMap((effect, i) => {
    const own = place(effect, "effect", prefix, `${pointer}/${i}`, owner, "");
    const inner = (effect.chains ?? []).flatMap((chain, c) =>
      effectParts(
        chain.effects ?? [],
        `${own.path}.${chain.id}`,
        `${own.pointer}/chains/${c}/effects`,
        owner,
      ),
    );
    return [own, ...inner];
  });
}

export function busParts(bus: Bus, index: number): PartPlace[] {
  const at = `/buses/${index}`;
  return [
    place(bus, "part", "", at, bus.name, ""),
    ...effectParts(bus.effects, bus.id, `${at}/effects`, bus.name),
    ...bus.sends.map((send, i) =>
      place(send, "part", bus.id, `${at}/sends/${i}`, bus.name, "Send"),
    ),
  ];
}

export function masterParts(sound: Sound): PartPlace[] {
  return [
    place(sound.master, "part", "", "/master", "Master", ""),
    ...effectParts(sound.master.effects, "master", "/master/effects", "Master"),
  ];
}

export function modulatorPart(modulator: Modulator, index: number): PartPlace {
  return place(modulator, "modulator", "", `/modulators/${index}`, modulator.name, "");
}

/** The sound's own values: voices, tuning, pace. */
export function soundPart(name: string): PartPlace {
  return {
    path: "sound",
    pointer: "",
    family: "part",
    kind: "sound",
    owner: name,
    title: "",
  };
}

/** Every part of a sound that parameters may be moved in. */
export function movableParts(sound: Sound): PartPlace[] {
  return [
    ...sound.layers.flatMap(layerParts),
    ...sound.buses.flatMap(busParts),
    ...masterParts(sound),
    ...sound.modulators.map(modulatorPart),
    soundPart(sound.name),
  ];
}

export interface Target {
  address: string;
  parameter: Parameter;
  place: PartPlace;
  label: string;
}

/**
 * Every parameter of a sound that a route may lead to, with a readable name.
 *
 * Those that do nothing at the moment are left out, unless `all` are wanted.
 */
export function targets(sound: Sound, catalogue: Catalogue, all = false): Target[] {
  const moved = new Set([...sound.routes, ...sound.lanes].map((mover) => mover.to));
  return movableParts(sound).flatMap((part) => {
    const module = catalogue.module(part.family, part.kind);
    const title = part.title || (part.family === "effect" ? module.name : "");
    const params = (valueAt(sound, `${part.pointer}/params`) ?? {}) as Record<string, Value>;
    return module.parameters
      .filter(
        (p) =>
          p.moves !== "no" &&
          (all || applies(module, p, params, (key) => moved.has(`${part.path}.${key}`))),
      )
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
