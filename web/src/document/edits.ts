/** The edits that the screen offers, as JSON Patch operations. */

import type { Bus, Layer, Modulator, Route, Sound, Value } from "../api/client";
import {
  type Catalogue,
  defaultParams,
  isHandle,
  newSource,
  pointerOf,
  type Target,
} from "./catalogue";
import { type Operation, valueAt } from "./patch";
import { sourcePointer, sourcesOf } from "./sources";
import { asNumber, isTime, kept, rounded } from "./values";

const PLACES = ["Floor", "Wall", "Vault", "Slit", "Stair", "Mast", "Ridge", "Field"];

/** An id that is free among `taken`. */
export function freeId(stem: string, taken: Iterable<string>): string {
  const used = new Set(taken);
  for (let number = 1; ; number++) {
    if (!used.has(`${stem}${number}`)) return `${stem}${number}`;
  }
}

/** The ids that layers, buses and modulators take up. */
export function topIds(sound: Sound): string[] {
  return [...sound.layers, ...sound.buses, ...sound.modulators].map((part) => part.id);
}

export function newLayer(sound: Sound, catalogue: Catalogue, kind: string, recording = ""): Layer {
  const module = (family: string, name: string) => defaultParams(catalogue.module(family, name));
  const id = freeId("layer", topIds(sound));
  const bus = sound.buses[0];
  return {
    id,
    kind: "layer",
    name: PLACES[sound.layers.length % PLACES.length] ?? "Layer",
    params: module("part", "layer"),
    mute: false,
    solo: false,
    source: newSource(catalogue, kind, recording),
    more_sources: [],
    filters: [
      { id: "filter1", kind: "lowpass", params: module("filter", "lowpass"), bypass: false },
    ],
    envelope: { id: "envelope", kind: "amplitude", params: module("part", "amplitude") },
    inserts: [],
    sends: bus ? [{ id: "send1", kind: "send", params: module("part", "send"), bus: bus.id }] : [],
  };
}

export function addLayer(
  sound: Sound,
  catalogue: Catalogue,
  kind: string,
  recording = "",
): Operation[] {
  return [{ op: "add", path: "/layers/-", value: newLayer(sound, catalogue, kind, recording) }];
}

/** What leads to a parameter: a route, which comes from a modulator, or a lane, which does not. */
interface Mover {
  to: string;
  from?: string;
}

/** Routes and lanes that lead to, or come from, what is about to be removed; the last first. */
export function moversWithout(sound: Sound, gone: (mover: Mover) => boolean): Operation[] {
  const without = (list: Mover[], path: string): Operation[] =>
    list
      .map((mover, index) => ({ mover, index }))
      .filter(({ mover }) => gone(mover))
      .reverse()
      .map(({ index }) => ({ op: "remove", path: `${path}/${index}` }));
  return [...without(sound.routes, "/routes"), ...without(sound.lanes, "/lanes")];
}

/** Modulators that follow a layer follow nothing once it is gone. */
function unfollowed(sound: Sound, layer: string): Operation[] {
  return sound.modulators.flatMap((modulator, i): Operation[] =>
    modulator.params.layer === layer
      ? [{ op: "replace", path: `/modulators/${i}/params/layer`, value: "" }]
      : [],
  );
}

/** Remove a layer, with what led to it; layers that it modulated are left alone. */
export function removeLayer(sound: Sound, index: number): Operation[] {
  const layer = sound.layers[index];
  if (!layer) return [];
  const unmodulated = sound.layers.flatMap((other, i) =>
    (["ring", "phase"] as const)
      .filter((kind) => other.params[`${kind}_layer`] === layer.id)
      .flatMap((kind): Operation[] => [
        { op: "replace", path: `/layers/${i}/params/${kind}_layer`, value: "" },
        { op: "replace", path: `/layers/${i}/params/${kind}_by`, value: "none" },
      ]),
  );
  return [
    ...unmodulated,
    ...unfollowed(sound, layer.id),
    ...moversWithout(sound, (mover) => mover.to.startsWith(`${layer.id}.`)),
    { op: "remove", path: `/layers/${index}` },
  ];
}

export function duplicateLayer(sound: Sound, index: number): Operation[] {
  const layer = sound.layers[index];
  if (!layer) return [];
  const id = freeId("layer", topIds(sound));
  const copies = sound.routes
    .filter((mover) => mover.to.startsWith(`${layer.id}.`))
    .map((route, i) => ({
      op: "add" as const,
      path: "/routes/-",
      value: {
        ...route,
        id: freeId("route", [...sound.routes.map((r) => r.id), ...usedBefore(i, sound)]),
        to: `${id}${route.to.slice(layer.id.length)}`,
      },
    }));
  const lanes: Operation[] = sound.lanes
    .filter((lane) => lane.to.startsWith(`${layer.id}.`))
    .map((lane) => ({
      op: "add",
      path: "/lanes/-",
      value: {
        ...lane,
        id: freeId(`${lane.id}_`, topIds(sound)),
        to: `${id}${lane.to.slice(layer.id.length)}`,
      },
    }));
  return [
    {
      op: "add",
      path: `/layers/${index + 1}`,
      value: { ...layer, id, name: `${layer.name} copy` },
    },
    ...copies,
    ...lanes,
  ];
}

/** The ids that the first `count` new routes will have taken. */
function usedBefore(count: number, sound: Sound): string[] {
  const ids: string[] = [];
  for (let i = 0; i < count; i++) {
    ids.push(freeId("route", [...sound.routes.map((r) => r.id), ...ids]));
  }
  return ids;
}

export function moveLayer(sound: Sound, index: number, by: number): Operation[] {
  const to = index + by;
  const layer = sound.layers[index];
  if (!layer || to < 0 || to >= sound.layers.length) return [];
  return [
    { op: "remove", path: `/layers/${index}` },
    { op: "add", path: `/layers/${to}`, value: layer },
  ];
}

/** Give a layer another kind of source; routes go with the parameters that both have. */
export function changeSource(
  sound: Sound,
  catalogue: Catalogue,
  index: number,
  kind: string,
  recording = "",
  number = 0,
): Operation[] {
  const layer = sound.layers[index];
  const old = layer && sourcesOf(layer)[number];
  if (!layer || !old) return [];
  const used = old.params.recording ?? old.items[0]?.params.recording;
  const source = newSource(catalogue, kind, String(used || recording));
  const module = catalogue.module("source", kind);
  const shared = Object.fromEntries(
    Object.entries(old.params).filter(([key]) => {
      const before = catalogue.module("source", old.kind);
      const [was, is] = [before, module].map((m) => m.parameters.find((p) => p.key === key));
      return was && is && JSON.stringify(was) === JSON.stringify(is);
    }),
  );
  const path = `${layer.id}.${old.id}.`;
  const movable = new Set(module.parameters.filter((p) => p.moves !== "no").map((p) => p.key));
  return [
    ...moversWithout(
      sound,
      (mover) => mover.to.startsWith(path) && !movable.has(mover.to.slice(path.length)),
    ),
    {
      op: "replace",
      path: sourcePointer(index, number),
      value: { ...source, id: old.id, params: { ...source.params, ...shared } },
    },
  ];
}

/** Add one of the things that a layer's source is made of. */
export function addItem(
  catalogue: Catalogue,
  layer: Layer,
  index: number,
  kind: string,
  values: Layer["source"]["params"] = {},
  number = 0,
): Operation[] {
  const taken = sourcesOf(layer)[number]?.items ?? [];
  const id = freeId(
    kind,
    taken.map((item) => item.id),
  );
  const params = { ...defaultParams(catalogue.module("item", kind)), ...values };
  const path = `${sourcePointer(index, number)}/items/-`;
  return [{ op: "add", path, value: { id, kind, params } }];
}

/** Remove an item, with the routes to it and the items that cannot be without it. */
export function removeItem(
  sound: Sound,
  catalogue: Catalogue,
  index: number,
  id: string,
  number = 0,
): Operation[] {
  const layer = sound.layers[index];
  const source = layer && sourcesOf(layer)[number];
  if (!layer || !source) return [];
  const at = `${sourcePointer(index, number)}/items`;
  const named = (item: Layer["source"]["items"][number]) =>
    catalogue
      .module("item", item.kind)
      .parameters.filter((p) => p.kind === "reference" && item.params[p.key] === id);
  const goes = (item: Layer["source"]["items"][number]) =>
    item.id === id || named(item).some((p) => p.needed);
  const gone = new Set(source.items.filter(goes).map((item) => item.id));
  const path = `${layer.id}.${source.id}.`;
  return [
    ...moversWithout(
      sound,
      (mover) =>
        mover.to.startsWith(path) && gone.has(mover.to.slice(path.length).split(".")[0] ?? ""),
    ),
    ...source.items.flatMap((item, i): Operation[] =>
      goes(item)
        ? []
        : named(item).map((p) => ({
            op: "replace",
            path: `${at}/${i}/params/${p.key}`,
            value: "",
          })),
    ),
    ...source.items
      .map((item, i) => ({ item, i }))
      .filter(({ item }) => goes(item))
      .reverse()
      .map(({ i }): Operation => ({ op: "remove", path: `${at}/${i}` })),
  ];
}

/** Add a filter or effect at the end of a list such as ``/layers/0/filters``. */
export function addModule(
  catalogue: Catalogue,
  family: "filter" | "effect",
  kind: string,
  pointer: string,
  siblings: { id: string }[],
): Operation[] {
  const params = defaultParams(catalogue.module(family, kind));
  const id = freeId(
    family === "filter" ? "filter" : kind,
    siblings.map((s) => s.id),
  );
  return [{ op: "add", path: `${pointer}/-`, value: { id, kind, params, bypass: false } }];
}

/** Remove a filter, effect or send, with the routes that led to it. */
export function removePart(sound: Sound, path: string, pointer: string): Operation[] {
  return [
    ...moversWithout(sound, (mover) => mover.to.startsWith(`${path}.`)),
    { op: "remove", path: pointer },
  ];
}

export function addSend(
  catalogue: Catalogue,
  sender: Layer | Bus,
  pointer: string,
  bus: string,
): Operation[] {
  const value = {
    id: freeId(
      "send",
      sender.sends.map((s) => s.id),
    ),
    kind: "send",
    params: defaultParams(catalogue.module("part", "send")),
    bus,
  };
  return [{ op: "add", path: `${pointer}/sends/-`, value }];
}

export function addBus(sound: Sound, catalogue: Catalogue): Operation[] {
  const reverb = {
    id: "reverb1",
    kind: "reverb",
    params: defaultParams(catalogue.module("effect", "reverb")),
    bypass: false,
    chains: [],
  };
  const value = {
    id: freeId("bus", topIds(sound)),
    kind: "bus",
    name: sound.buses.length ? `Space ${sound.buses.length + 1}` : "Space",
    params: defaultParams(catalogue.module("part", "bus")),
    effects: [reverb],
    sends: [],
  };
  return [{ op: "add", path: "/buses/-", value }];
}

/** Remove a bus, with the sends to it and the routes to all of these. */
export function removeBus(sound: Sound, index: number): Operation[] {
  const bus = sound.buses[index];
  if (!bus) return [];
  const senders = [
    ...sound.layers.map((layer, l) => ({ sender: layer, at: `/layers/${l}` })),
    ...sound.buses.map((other, b) => ({ sender: other, at: `/buses/${b}` })),
  ];
  const sends = senders.flatMap(({ sender, at }) =>
    sender.sends
      .map((send, s) => ({
        send,
        pointer: `${at}/sends/${s}`,
        path: `${sender.id}.${send.id}.`,
      }))
      .filter(({ send }) => send.bus === bus.id)
      .reverse(),
  );
  const gone = (mover: Mover) =>
    mover.to.startsWith(`${bus.id}.`) || sends.some(({ path }) => mover.to.startsWith(path));
  return [
    ...moversWithout(sound, gone),
    ...sends.map(({ pointer }) => ({ op: "remove" as const, path: pointer })),
    { op: "remove", path: `/buses/${index}` },
  ];
}

const MODULATOR_NAMES: Record<string, string[]> = {
  steps: ["Treads", "Rungs", "Ticks", "Stairs"],
  curve: ["Contour", "Slope", "Path", "Line"],
  macro: ["Bright", "Grit", "Space", "Air", "Near", "Depth", "Haze", "Edge"],
  lfo: ["Tide", "Turn", "Sway", "Round"],
  random: ["Drift", "Weather", "Wander", "Unrest"],
  envelope: ["Dawn", "Rise", "Arc", "Wane"],
};

export function newModulator(sound: Sound, catalogue: Catalogue, kind: string): Modulator {
  const module = catalogue.module("modulator", kind);
  const taken = new Set(sound.modulators.map((m) => m.name));
  const names = MODULATOR_NAMES[kind] ?? [module.name];
  const free = names.find((name) => !taken.has(name));
  return {
    id: freeId(kind, topIds(sound)),
    kind,
    name: free ?? `${module.name} ${sound.modulators.length + 1}`,
    params: defaultParams(module),
    about: "",
    seed: newSeed(),
    locked: false,
    rolls: [],
    scope: module.scope,
  };
}

export function newSeed(): number {
  return Math.floor(Math.random() * 1_000_000);
}

/** Remove a modulator and its routes; routes that it scaled lose the scaling. */
export function removeModulator(sound: Sound, index: number): Operation[] {
  const modulator = sound.modulators[index];
  if (!modulator) return [];
  const unscaled = sound.routes.flatMap((route, i): Operation[] =>
    route.scaled_by === modulator.id && route.from !== modulator.id
      ? [{ op: "replace", path: `/routes/${i}/scaled_by`, value: null }]
      : [],
  );
  return [
    ...unscaled,
    ...moversWithout(
      sound,
      (mover) => mover.from === modulator.id || mover.to.startsWith(`${modulator.id}.`),
    ),
    { op: "remove", path: `/modulators/${index}` },
  ];
}

/** A first depth for a new route: audible, but not too much. */
function firstDepth(target: Target): number {
  const { depth_limit, depth_unit, scale } = target.parameter;
  if (depth_unit === "oct") return 1;
  if (depth_unit === "dB") return 4;
  if (depth_unit === "ct") return Math.min(6, depth_limit);
  const part = scale === "squared" ? 0.02 : 0.2;
  return Math.min(depth_limit, Number((depth_limit * part).toPrecision(2)));
}

/**
 * Where a parameter rests once a handle moves it, so that the sound stays as it is: below where it
 * stood by as much as the handle lifts it now.
 */
function restedUnder(sound: Sound, handle: Modulator, target: Target, depth: number): Operation[] {
  const path = pointerOf(target.place, target.parameter);
  const value = valueAt(sound, path) as Value;
  const lifted = (Number(handle.params.value ?? 0) / 100) * depth;
  const drawn = sound.lanes.some((lane) => lane.to === target.address);
  if (lifted === 0 || drawn || target.parameter.kind === "integer") return [];
  const number = asNumber(value);
  const under = rounded(
    target.parameter.scale === "logarithmic" ? number / 2 ** lifted : number - lifted,
  );
  const rested = kept(target.parameter, isTime(value) ? { ...value, value: under } : under);
  return [{ op: "replace", path, value: rested }];
}

/** A route from a modulator; a handle moves one way, from where the parameter rests. */
export function addRoute(
  sound: Sound,
  from: string,
  target: Target,
  catalogue: Catalogue,
): Operation[] {
  const modulator = sound.modulators.find((m) => m.id === from);
  const handle = modulator && isHandle(catalogue, modulator) ? modulator : null;
  const depth = firstDepth(target);
  const value: Route = {
    id: freeId(
      "route",
      sound.routes.map((r) => r.id),
    ),
    from,
    to: target.address,
    depth,
    polarity: handle ? "unipolar" : "bipolar",
    curve: 0,
    scaled_by: null as unknown as Route["scaled_by"],
    muted: false,
    rule: "newest",
  };
  const rests = handle ? restedUnder(sound, handle, target, depth) : [];
  return [...rests, { op: "add", path: "/routes/-", value }];
}
