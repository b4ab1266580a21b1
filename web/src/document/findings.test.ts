import { describe, expect, it } from "vitest";
import type { Sound } from "../api/client";
import { catalogueOf, limits, module, parameter } from "./examples";
import { answerable, answered, type Finding, roomFor } from "./findings";

const choice = (key: string, value: string) => parameter(key, { kind: "choice", default: value });
const catalogue = catalogueOf(
  module(
    "effect",
    "equalizer",
    choice("shape1", "low_cut"),
    parameter("frequency1"),
    parameter("gain1"),
    parameter("width1"),
    choice("shape2", "off"),
    parameter("frequency2"),
    parameter("gain2"),
    parameter("width2"),
  ),
);

const finding: Finding = {
  kind: "peak",
  hertz: 668.5,
  excess: 12,
  fraction: 0.8,
  shape: "bell",
  gain: -9,
  width: 0.25,
  text: "",
};

type Params = Record<string, string | number>;
const withEffects = (...effects: { kind: string; params: Params; bypass?: boolean }[]) =>
  ({
    master: { effects: effects.map((e, i) => ({ id: `e${i}`, bypass: false, ...e })) },
  }) as unknown as Sound;
const equalizer = (shape1: string, shape2: string, bypass = false) => ({
  kind: "equalizer",
  params: { shape1, gain1: 0, shape2, gain2: 0 },
  bypass,
});

describe("what stands out", () => {
  it("takes the first band that is off", () => {
    const sound = withEffects({ kind: "reverb", params: {} }, equalizer("bell", "off"));
    expect(roomFor(sound, catalogue)).toEqual({ index: 1, band: 2 });
    expect(answered(sound, catalogue, finding)).toEqual([
      { op: "replace", path: "/master/effects/1/params/shape2", value: "bell" },
      { op: "replace", path: "/master/effects/1/params/frequency2", value: 668.5 },
      { op: "replace", path: "/master/effects/1/params/gain2", value: -9 },
      { op: "replace", path: "/master/effects/1/params/width2", value: 0.25 },
    ]);
  });

  it("adds an equalizer that does nothing else where all are full or bypassed", () => {
    const sound = withEffects(equalizer("bell", "bell"), equalizer("off", "off", true));
    const [operation, ...more] = answered(sound, catalogue, finding);
    expect(more).toEqual([]);
    expect(operation?.path).toBe("/master/effects/-");
    const { id, params } = (operation as { value: { id: string; params: Params } }).value;
    expect(["e0", "e1"]).not.toContain(id);
    expect([params.shape1, params.frequency1, params.gain1]).toEqual(["bell", 668.5, -9]);
    expect(params.shape2).toBe("off");
  });

  it("lowers the master where the ceiling holds all down", () => {
    const held: Finding = { ...finding, kind: "ceiling", shape: "level", hertz: 0, gain: -4 };
    const full = Array.from({ length: limits.effects }, () => ({ kind: "reverb", params: {} }));
    const sound = withEffects(...full);
    for (const [level, lowered] of [
      [2, -2],
      [-79, -80],
    ]) {
      sound.master.params = { level: level as number };
      expect(answerable(sound, catalogue, held)).toBe(true);
      expect(answered(sound, catalogue, held)).toEqual([
        { op: "replace", path: "/master/params/level", value: lowered },
      ]);
    }
    expect(answerable(sound, catalogue, finding)).toBe(false);
  });

  it("does nothing where the master is full", () => {
    const full = Array.from({ length: limits.effects }, () => ({ kind: "reverb", params: {} }));
    expect(roomFor(withEffects(...full), catalogue)).toBeNull();
    expect(answered(withEffects(...full), catalogue, finding)).toEqual([]);
  });
});
