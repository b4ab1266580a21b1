import { describe, expect, it } from "vitest";
import type { Sound } from "../api/client";
import { catalogueOf, module, parameter } from "./examples";
import { lowsAreMono, lowsToMono } from "./lows-to-mono";
import { applyOperations } from "./patch";

const catalogue = catalogueOf(
  module(
    "effect",
    "width",
    parameter("width", { default: 100 }),
    parameter("mono_below", { low: 20, default: 120 }),
  ),
);

const sound = (effects: object[], routes: object[] = []) =>
  ({ master: { effects }, routes, lanes: [], layers: [], buses: [] }) as unknown as Sound;
const width = (params: object, bypass = false) => ({ id: "wide", kind: "width", params, bypass });
const pressed = (given: Sound) =>
  applyOperations(given, lowsToMono(catalogue, given)).document as unknown as Sound;

describe("lows to mono", () => {
  it("adds a width effect to the master, and takes it out again", () => {
    const none = sound([]);
    expect(lowsAreMono(catalogue, none)).toBe(false);
    const on = pressed(none);
    expect(lowsAreMono(catalogue, on)).toBe(true);
    expect(pressed(on).master.effects).toEqual([]);
  });

  it("uses a width effect that is there, and leaves what else it does", () => {
    const off = sound([width({ width: 150, mono_below: 20 })]);
    const on = pressed(off);
    expect(on.master.effects[0]?.params).toEqual({ width: 150, mono_below: 120 });
    expect(pressed(on).master.effects).toEqual(off.master.effects);
  });

  it("keeps an effect that something moves", () => {
    const moved = sound([width({ width: 100, mono_below: 90 })], [{ to: "master.wide.width" }]);
    expect(pressed(moved).master.effects[0]?.params.mono_below).toBe(20);
  });

  it("ends a bypass with the corner as it was", () => {
    const bypassed = sound([width({ width: 100, mono_below: 200 }, true)]);
    expect(lowsAreMono(catalogue, bypassed)).toBe(false);
    expect(pressed(bypassed).master.effects[0]).toEqual(width({ width: 100, mono_below: 200 }));
  });
});
