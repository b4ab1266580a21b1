import { expect, test } from "vitest";
import type { Sound } from "../api/client";
import { catalogueOf, module } from "./examples";
import { slotsOf } from "./slots";

const catalogue = catalogueOf(
  module("source", "noise"),
  module("filter", "lowpass"),
  module("filter", "notch"),
  module("effect", "reverb"),
);

test("slots stand in the order of the signal, alike ones are told apart", () => {
  const sound = {
    layers: [
      {
        id: "ground",
        name: "Ground",
        source: { id: "source", kind: "noise" },
        filters: [
          { id: "f1", kind: "lowpass" },
          { id: "f2", kind: "notch" },
          { id: "f3", kind: "lowpass" },
        ],
        envelope: { id: "envelope" },
        inserts: [],
      },
    ],
    buses: [{ id: "nave", name: "Nave", effects: [{ id: "reverb1", kind: "reverb" }] }],
    master: { effects: [] },
  } as unknown as Sound;
  const slots = slotsOf(catalogue, sound);
  expect(slots.map((one) => one.slot)).toEqual([
    "ground.source",
    "ground.f1",
    "ground.f2",
    "ground.f3",
    "ground.envelope",
    "ground",
    "nave.input",
    "nave.reverb1",
    "nave",
    "master.input",
  ]);
  const names = slots.filter((one) => one.owner === "Ground").map((one) => one.name);
  expect(names).toEqual(["noise", "lowpass (1)", "notch", "lowpass (3)", "Envelope", "Post-fader"]);
});
