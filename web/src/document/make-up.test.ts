import { describe, expect, it } from "vitest";
import type { Sound } from "../api/client";
import { catalogueOf, module, parameter } from "./examples";
import { madeUp } from "./make-up";
import { applyOperations, valueAt } from "./patch";

const catalogue = catalogueOf(
  module("effect", "reverb", parameter("output", { low: -36, high: 24, default: 0 })),
);
const sound = (output: number) =>
  ({
    layers: [],
    buses: [
      {
        id: "nave",
        params: {},
        sends: [],
        effects: [{ id: "space", kind: "reverb", params: { output } }],
      },
    ],
    master: { params: {}, effects: [] },
    modulators: [],
    routes: [],
    lanes: [],
    macros: [],
  }) as unknown as Sound;

describe("make-up", () => {
  it("adds to what the output is already, within its limits", () => {
    const made = madeUp(sound(2), catalogue, "nave.space", -6.32);
    expect(made?.output).toBe(-4.3);
    const { document } = applyOperations(sound(2), made?.operations ?? []);
    expect(valueAt(document, "/buses/0/effects/0/params/output")).toBe(-4.3);
    expect(madeUp(sound(20), catalogue, "nave.space", 9)?.output).toBe(24);
  });

  it("does nothing where the effect is gone", () => {
    expect(madeUp(sound(0), catalogue, "nave.other", -6)).toBeNull();
  });
});
