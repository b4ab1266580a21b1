import { expect, it } from "vitest";
import type { Modulator, Sound } from "../api/client";
import { forgetRoll, keptRolls, movedBy, nameRoll, reseed, reseedAll } from "./seeds";

const modulator = (seed: number, more: Partial<Modulator> = {}) =>
  ({
    id: `m${seed}`,
    kind: "random",
    seed,
    locked: false,
    rolls: [],
    ...more,
  }) as unknown as Modulator;
const sound = {
  modulators: [modulator(1), modulator(2, { locked: true }), modulator(3, { kind: "wheel" })],
} as unknown as Sound;

it("keeps the seed before, each once, and forgets the oldest without a name", () => {
  expect(reseed(sound, 0, 9, 4)).toEqual([
    { op: "replace", path: "/modulators/0/seed", value: 9 },
    {
      op: "replace",
      path: "/modulators/0/rolls",
      value: [
        { seed: 1, name: "" },
        { seed: 9, name: "" },
      ],
    },
  ]);
  const rolls = [
    { seed: 1, name: "good" },
    { seed: 2, name: "" },
  ];
  expect(keptRolls(rolls, 2, 2)).toBe(rolls);
  expect(keptRolls(rolls, 3, 2)).toEqual([
    { seed: 1, name: "good" },
    { seed: 3, name: "" },
  ]);
});

it("rolls all that chance moves, locks excepted", () => {
  const ops = reseedAll(
    sound,
    (m) => m.kind === "random",
    () => 7,
    4,
  );
  expect(ops.map((op) => op.path)).toEqual(["/modulators/0/seed", "/modulators/0/rolls"]);
});

it("names and forgets rolls", () => {
  const kept = {
    modulators: [modulator(1, { rolls: [{ seed: 5, name: "" }] })],
  } as unknown as Sound;
  expect(nameRoll(kept, 0, 5, "Dusk")).toEqual([
    { op: "replace", path: "/modulators/0/rolls/0/name", value: "Dusk" },
  ]);
  expect(nameRoll(kept, 0, 6, "Dusk")).toEqual([]);
  expect(forgetRoll(kept, 0, 5)).toEqual([{ op: "remove", path: "/modulators/0/rolls/0" }]);
});

it("groups modulators by the layer or bus that they move", () => {
  const part = { id: "source", kind: "noise", params: {}, items: [] };
  const grouped = {
    name: "S",
    layers: ["a", "b"].map((id) => ({
      id,
      name: id.toUpperCase(),
      params: {},
      source: part,
      filters: [],
      envelope: { id: "envelope", kind: "amplitude", params: {} },
      inserts: [],
      sends: [],
    })),
    buses: [],
    master: { id: "master", params: {}, effects: [] },
    modulators: [],
    lanes: [],
    routes: [
      { from: "m1", to: "a.level" },
      { from: "m2", to: "a.source.level" },
      { from: "m2", to: "b.pan" },
    ],
  } as unknown as Sound;
  expect([...movedBy(grouped)].map(([owner, ids]) => [owner, [...ids].sort()])).toEqual([
    ["A", ["m1", "m2"]],
    ["B", ["m2"]],
  ]);
});
