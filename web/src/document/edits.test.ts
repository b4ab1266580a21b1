import { describe, expect, it } from "vitest";
import type { Route, Sound } from "../api/client";
import { applies, targets } from "./catalogue";
import {
  addBus,
  addItem,
  addLayer,
  addModule,
  addRoute,
  changeSource,
  duplicateLayer,
  freeId,
  moveLayer,
  newModulator,
  removeBus,
  removeItem,
  removeLayer,
  removeModulator,
  removePart,
} from "./edits";
import { catalogueOf, module, parameter } from "./examples";
import { applyOperations, type Operation } from "./patch";

const catalogue = catalogueOf(
  module(
    "part",
    "layer",
    parameter("level"),
    parameter("blend", {
      when: { key: "arrangement", is: ["parallel"] },
    }),
  ),
  module("part", "amplitude"),
  module("part", "send", parameter("level")),
  module("part", "sound", parameter("pace")),
  module("part", "bus"),
  module("part", "master"),
  module("source", "wavetable", parameter("position"), parameter("table", { moves: "no" })),
  {
    ...module("source", "pair", parameter("position"), parameter("index")),
    items: [{ kind: "part", fewest: 2, most: 4 }],
  },
  module("item", "part", parameter("level")),
  module(
    "item",
    "tie",
    parameter("from", { kind: "reference", of: "part", default: "", moves: "no", needed: true }),
  ),
  module("filter", "lowpass", parameter("cutoff", { depth_unit: "oct", depth_limit: 10 })),
  module("effect", "reverb", parameter("mix")),
  module("modulator", "lfo", parameter("period", { kind: "time", default: 20 })),
);

function example(): Sound {
  const layer = (id: string) => ({
    id,
    kind: "layer",
    name: id,
    params: { arrangement: "series" },
    mute: false,
    solo: false,
    source: { id: "source", kind: "wavetable", params: { position: 70 }, items: [] },
    filters: [{ id: "filter1", kind: "lowpass", params: {}, bypass: false }],
    envelope: { id: "envelope", kind: "amplitude", params: {} },
    inserts: [],
    sends: [{ id: "send1", kind: "send", params: {}, bus: "bus1" }],
  });
  const route = (id: string, from: string, to: string, scaled_by: string | null = null) => ({
    id,
    from,
    to,
    depth: 1,
    polarity: "bipolar",
    curve: 0,
    scaled_by,
    muted: false,
  });
  return {
    name: "S",
    layers: [layer("layer1"), layer("layer2")],
    buses: [{ id: "bus1", kind: "bus", name: "Space", params: {}, effects: [], sends: [] }],
    master: { id: "master", kind: "master", params: {}, effects: [] },
    modulators: ["a", "b"].map((id) => ({
      id,
      kind: "lfo",
      name: id,
      params: {},
      seed: 1,
      scope: "sound",
    })),
    lanes: [],
    routes: [
      route("r1", "a", "layer1.filter1.cutoff"),
      route("r2", "b", "layer2.level", "a"),
      route("r3", "a", "layer2.send1.level"),
      route("r4", "b", "bus1.level"),
    ],
  } as unknown as Sound;
}

const edited = (operations: Operation[]) => applyOperations(example(), operations).document;

describe("edits", () => {
  it("give free ids", () => {
    expect(freeId("layer", ["layer1", "layer3"])).toBe("layer2");
  });

  it("add layers with everything that they need", () => {
    const added = edited(addLayer(example(), catalogue, "wavetable")).layers[2];
    expect(added?.id).toBe("layer3");
    expect(added?.filters[0]?.params).toEqual({ cutoff: 5 });
    expect(added?.sends[0]?.bus).toBe("bus1");
  });

  it("remove layers along with the routes to them", () => {
    const left = edited(removeLayer(example(), 1));
    expect(left.layers.map((l) => l.id)).toEqual(["layer1"]);
    expect(left.routes.map((r) => r.id)).toEqual(["r1", "r4"]);
  });

  it("leave alone what a removed layer modulated", () => {
    const sound = example();
    Object.assign(sound.layers[0]?.params ?? {}, { ring_by: "layer", ring_layer: "layer2" });
    const left = applyOperations(sound, removeLayer(sound, 1)).document;
    expect(left.layers[0]?.params).toMatchObject({ ring_by: "none", ring_layer: "" });
  });

  it("change a source, keeping what both kinds have", () => {
    const sound = example();
    sound.routes = [
      { ...(sound.routes[0] as Route), id: "kept", to: "layer1.source.position" },
      { ...(sound.routes[0] as Route), id: "lost", to: "layer1.source.table" },
    ];
    const operations = changeSource(sound, catalogue, 0, "pair");
    const left = applyOperations(sound, operations).document;
    expect(left.layers[0]?.source).toMatchObject({ kind: "pair", params: { position: 70 } });
    expect(left.layers[0]?.source.items.map((i) => i.id)).toEqual(["part1", "part2"]);
    expect(left.routes.map((r) => r.id)).toEqual(["kept"]);
  });

  it("remove items with what needs them", () => {
    let sound = edited(changeSource(example(), catalogue, 0, "pair"));
    const add = (kind: string, values = {}) => {
      const layer = sound.layers[0];
      if (layer) {
        sound = applyOperations(sound, addItem(catalogue, layer, 0, kind, values)).document;
      }
    };
    add("part");
    add("tie", { from: "part2" });
    add("tie", { from: "part3" });
    const ids = () => sound.layers[0]?.source.items.map((i) => i.id);
    expect(ids()).toEqual(["part1", "part2", "part3", "tie1", "tie2"]);
    sound = applyOperations(sound, removeItem(sound, catalogue, 0, "part2")).document;
    expect(ids()).toEqual(["part1", "part3", "tie2"]);
  });

  it("duplicate layers along with their movement, under ids of their own", () => {
    const left = edited(duplicateLayer(example(), 1));
    expect(left.layers.map((l) => l.id)).toEqual(["layer1", "layer2", "layer3"]);
    const copies = left.routes.filter((r) => r.to.startsWith("layer3."));
    expect(copies.map((r) => r.to)).toEqual(["layer3.level", "layer3.send1.level"]);
    expect(new Set(left.routes.map((r) => r.id)).size).toBe(left.routes.length);
  });

  it("move layers, and not past the ends", () => {
    expect(edited(moveLayer(example(), 0, 1)).layers.map((l) => l.id)).toEqual([
      "layer2",
      "layer1",
    ]);
    expect(moveLayer(example(), 0, -1)).toEqual([]);
  });

  it("remove modulators with their routes and scalings", () => {
    const left = edited(removeModulator(example(), 0));
    expect(left.routes.map((r) => r.id)).toEqual(["r2", "r4"]);
    expect(left.routes[0]?.scaled_by).toBeNull();
  });

  it("remove buses with the sends to them and all routes to those", () => {
    const left = edited(removeBus(example(), 0));
    expect(left.buses).toEqual([]);
    expect(left.layers.every((l) => l.sends.length === 0)).toBe(true);
    expect(left.routes.map((r) => r.id)).toEqual(["r1", "r2"]);
  });

  it("add and remove filters, buses and routes", () => {
    expect(
      edited(addModule(catalogue, "filter", "lowpass", "/layers/0/filters", [{ id: "filter1" }]))
        .layers[0]?.filters[1]?.id,
    ).toBe("filter2");
    expect(edited(addBus(example(), catalogue)).buses[1]?.id).toBe("bus2");
    expect(
      edited(removePart(example(), "layer1.filter1", "/layers/0/filters/0")).routes,
    ).toHaveLength(3);
    const target = targets(example(), catalogue).find((t) => t.address === "layer1.filter1.cutoff");
    if (!target) throw new Error("the target is missing");
    expect(edited(addRoute(example(), "b", target, catalogue)).routes[4]).toMatchObject({
      id: "route1",
      depth: 1,
      polarity: "bipolar",
    });
  });

  it("let a macro move from where a parameter is, wherever its handle stands", () => {
    const known = catalogueOf(...catalogue.modules, {
      ...module("modulator", "macro", parameter("value")),
      editor: "handle",
    });
    const sound = example();
    const target = targets(sound, known).find((t) => t.address === "layer1.filter1.cutoff");
    const layer = sound.layers[0];
    const filter = layer?.filters[0];
    if (!target || !filter) throw new Error("the target is missing");
    target.parameter = { ...target.parameter, scale: "logarithmic", low: 20, high: 20000 };
    filter.params.cutoff = 800;
    const macro = { ...newModulator(sound, known, "macro"), id: "m" };
    const at = (value: number): Sound => ({
      ...sound,
      modulators: [{ ...macro, params: { value } }],
    });
    for (const [value, rests] of [
      [0, 800],
      [50, 565.7],
      [100, 400],
    ] as const) {
      const operations = addRoute(at(value), "m", target, known);
      const moved = applyOperations(at(value), operations).document;
      expect(moved.routes.at(-1)).toMatchObject({ from: "m", polarity: "unipolar", depth: 1 });
      // An octave up at the full way, from where it rests: where it was before.
      expect(moved.layers[0]?.filters[0]?.params.cutoff).toBeCloseTo(rests, 0);
    }
  });

  it("name modulators unlike the others", () => {
    expect(newModulator(example(), catalogue, "lfo").name).toBe("Tide");
    expect(newModulator(example(), catalogue, "lfo").params.period).toEqual({
      value: 20,
      unit: "s",
    });
  });
  it("take the scope of a new modulator from the catalogue", () => {
    const each = catalogueOf({ ...module("modulator", "arc"), scope: "note" });
    expect(newModulator(example(), each, "arc").scope).toBe("note");
    expect(newModulator(example(), catalogue, "lfo").scope).toBe("sound");
  });
});

describe("targets", () => {
  it("are what may be moved and does something", () => {
    const found = targets(example(), catalogue).map((t) => t.address);
    expect(found).toContain("layer1.source.position");
    expect(found).not.toContain("layer1.source.table");
    expect(found).not.toContain("layer1.blend");
    const blend = catalogue.module("part", "layer").parameters[1];
    const layer = catalogue.module("part", "layer");
    expect(blend && applies(layer, blend, { arrangement: "parallel" })).toBe(true);
  });

  it("say what is missing from the catalogue", () => {
    expect(() => catalogue.module("effect", "bell")).toThrow("effect bell");
  });
});
