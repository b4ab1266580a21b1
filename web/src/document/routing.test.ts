import { expect, it } from "vitest";
import type { Route, Sound } from "../api/client";
import { catalogueOf, module, parameter } from "./examples";
import { copyRoutes, inAllLayers, muteModulator, soloRoutes, sortedRoutes } from "./routing";

const route = (id: string, from: string, to: string, depth = 1, muted = false) =>
  ({
    id,
    from,
    to,
    depth,
    muted,
    polarity: "bipolar",
    curve: 0,
    scaled_by: null,
  }) as unknown as Route;
const layer = (id: string) => ({
  id,
  name: id,
  kind: "layer",
  params: {},
  source: { id: "source", kind: "noise", params: {}, items: [] },
  filters: [],
  envelope: { id: "envelope", kind: "amplitude", params: {} },
  inserts: [],
  sends: [],
});
const sound = {
  name: "S",
  layers: [layer("a"), layer("b")],
  buses: [],
  master: { id: "master", kind: "master", params: {}, effects: [] },
  modulators: [],
  lanes: [],
  routes: [route("r1", "m", "a.level", 3), route("r2", "n", "a.level"), route("r3", "m", "a.pan")],
} as unknown as Sound;
const catalogue = catalogueOf(
  module("part", "layer", parameter("level"), parameter("pan", { moves: "no" })),
);

it("copies what leads to a part to another, where it can be moved too", () => {
  expect(copyRoutes(sound, catalogue, "a", "b")).toEqual([
    { op: "add", path: "/routes/-", value: { ...sound.routes[0], id: "route1", to: "b.level" } },
    { op: "add", path: "/routes/-", value: { ...sound.routes[1], id: "route2", to: "b.level" } },
  ]);
  expect(copyRoutes(sound, catalogue, "a", "a")).toEqual([]);
});

it("lets one act alone and all again, and mutes what a modulator does", () => {
  expect(soloRoutes(sound, ["r2"]).map((op) => op.path)).toEqual([
    "/routes/0/muted",
    "/routes/2/muted",
  ]);
  const alone = {
    ...sound,
    routes: sound.routes.map((r) => ({ ...r, muted: r.id !== "r2" })),
  } as Sound;
  expect(soloRoutes(alone, ["r2"])).toHaveLength(2);
  expect(muteModulator(sound, "m").map((op) => op.path)).toEqual([
    "/routes/0/muted",
    "/routes/2/muted",
  ]);
});

it("sorts by name or by depth", () => {
  const rows = sound.routes.map((r) => ({ route: r, from: r.from, to: r.to }));
  expect(sortedRoutes(rows, "depth", true)[0]?.route.id).toBe("r1");
  expect(sortedRoutes(rows, "from", false).map((r) => r.from)).toEqual(["m", "m", "n"]);
});

it("lets a route move the same in every other layer that has it, once", () => {
  const three = { ...sound, layers: [layer("a"), layer("b"), layer("c")] } as unknown as Sound;
  three.routes = [route("r1", "m", "a.level", 3), route("r2", "m", "c.level")];
  const first = three.routes[0] as Route;
  const made = inAllLayers(three, catalogue, first);
  expect(made).toEqual([
    { op: "add", path: "/routes/-", value: { ...first, id: expect.any(String), to: "b.level" } },
  ]);
  expect(inAllLayers(sound, catalogue, route("r9", "m", "a.pan"))).toEqual([]);
  expect(inAllLayers(sound, catalogue, route("r9", "m", "master.level"))).toEqual([]);
});

it("finds the like module at the same place among its kind", () => {
  const filter = (id: string) => ({ id, kind: "lowpass", params: {} });
  const two = {
    ...sound,
    layers: [
      { ...layer("a"), filters: [filter("f1"), filter("f2")] },
      { ...layer("b"), filters: [filter("g1"), filter("g2")] },
      { ...layer("c"), filters: [filter("h1")] },
    ],
    routes: [route("r1", "m", "a.f2.cutoff", 2)],
  } as unknown as Sound;
  const filters = catalogueOf(
    module("part", "layer", parameter("level")),
    module("filter", "lowpass", parameter("cutoff")),
  );
  expect(inAllLayers(two, filters, two.routes[0] as Route)).toMatchObject([
    { op: "add", value: { to: "b.g2.cutoff", depth: 2 } },
  ]);
});
