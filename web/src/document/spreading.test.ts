import { expect, it } from "vitest";
import type { Sound } from "../api/client";
import type { PartPlace, Target } from "./catalogue";
import { catalogueOf, module, parameter } from "./examples";
import type { Operation } from "./patch";
import { respread, spread } from "./spreading";

const target = (address: string, gentle: number): Target => ({
  address,
  parameter: parameter("level", { gentle_depth: gentle, depth_limit: 10 }),
  place: { path: "a" } as PartPlace,
  label: address,
});
const sound = {
  layers: [],
  buses: [],
  modulators: [],
  lanes: [],
  routes: [{ id: "route1", from: "x", to: "a.pan", depth: 1 }],
} as unknown as Sound;
const wish = {
  targets: [target("a.level", 2), target("b.level", 8)],
  amount: 1.5,
  period: 20,
  eachNote: true,
};

const catalogue = catalogueOf(module("modulator", "random"));
const valueIn = (operation: Operation | undefined) =>
  operation && "value" in operation ? operation.value : null;

it("moves each by its gentle depth, by values of its own, in one step", () => {
  const { operations, modulator } = spread(sound, catalogue, wish, 5);
  expect(valueIn(operations[0])).toMatchObject({
    id: modulator,
    kind: "random",
    name: "Unrest",
    seed: 5,
    scope: "note",
    params: { apart: true, period: { value: 20, unit: "s" } },
  });
  expect(operations.slice(1).map(valueIn)).toMatchObject([
    { id: "route2", from: modulator, to: "a.level", depth: 3 },
    { id: "route3", from: modulator, to: "b.level", depth: 10 },
  ]);
});

it("is set anew while it is heard", () => {
  const made = {
    ...sound,
    modulators: [{ id: "random1" }],
    routes: [{ id: "route2", from: "random1", to: "a.level", depth: 3 }],
  } as unknown as Sound;
  const operations = respread(made, "random1", { ...wish, amount: 0.5, eachNote: false });
  expect(operations).toContainEqual({ op: "replace", path: "/routes/0/depth", value: 1 });
  expect(operations.at(-1)).toMatchObject({ path: "/modulators/0/scope", value: "sound" });
});
