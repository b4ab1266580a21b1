import { describe, expect, it } from "vitest";
import type { Sound } from "../api/client";
import { addGroup, groupsLeftOut, removeGroup } from "./added";
import { module, parameter } from "./examples";
import { applyOperations, type Operation } from "./patch";

const bands = {
  ...module(
    "effect",
    "equalizer",
    ...[1, 2, 3].flatMap((n) => [
      parameter(`shape${n}`, { kind: "choice", default: "off", group: `Band ${n}` }),
      parameter(`gain${n}`, { default: 0, group: `Band ${n}` }),
    ]),
    parameter("output", { default: 0, group: "Output" }),
  ),
  added: { name: "band", keys: ["shape1", "shape2", "shape3"], off: "off", on: "bell" },
};
const place = {
  path: "master.eq",
  pointer: "/master/effects/0",
  family: "effect",
  kind: "equalizer",
  owner: "Master",
  title: "Equalizer",
};
const params = { shape1: "low_cut", gain1: 2, shape2: "off", gain2: 7, shape3: "off", gain3: 0 };
const sound = {
  layers: [],
  buses: [],
  master: { effects: [{ id: "eq", kind: "equalizer", params: { ...params, output: -3 } }] },
  routes: [
    { id: "r1", from: "lfo", to: "master.eq.gain1" },
    { id: "r2", from: "lfo", to: "master.eq.output" },
  ],
  lanes: [{ id: "l1", to: "master.eq.gain1" }],
} as unknown as Sound;
const edited = (operations: Operation[]) =>
  applyOperations(sound, operations).document as unknown as Sound;

describe("groups that are added", () => {
  it("adds the first that is left out, as new", () => {
    expect(groupsLeftOut(bands, params)).toEqual(["Band 2", "Band 3"]);
    const made = edited(addGroup(sound, bands, place)).master.effects[0]?.params;
    expect(made).toEqual({ ...params, output: -3, shape2: "bell", gain2: 0 });
  });

  it("adds nothing where all are there, or where nothing is added", () => {
    const full = {
      ...sound,
      master: {
        effects: [{ id: "eq", params: { shape1: "bell", shape2: "bell", shape3: "bell" } }],
      },
    } as unknown as Sound;
    expect(addGroup(full, bands, place)).toEqual([]);
    expect(addGroup(sound, { ...bands, added: null }, place)).toEqual([]);
    expect(groupsLeftOut({ ...bands, added: null }, params)).toEqual([]);
  });

  it("removes one with what moves it, and nothing else", () => {
    const made = edited(removeGroup(sound, bands, place, "Band 1"));
    expect(made.master.effects[0]?.params).toEqual({
      ...params,
      output: -3,
      shape1: "off",
      gain1: 0,
    });
    expect(made.routes.map((route) => route.id)).toEqual(["r2"]);
    expect(made.lanes).toEqual([]);
  });
});
