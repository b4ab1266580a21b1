import { describe, expect, it } from "vitest";
import type { Effect, Modulator, Route, Sound } from "../api/client";
import { alone, chainOf, pasted } from "./chains";
import { addressOf } from "./moving";
import { applyOperations, type Operation } from "./patch";

const effect = (id: string, chains: Effect["chains"] = []): Effect => ({
  id,
  kind: "chorus",
  params: { mix: 20 },
  bypass: false,
  chains,
});

const modulator = (id: string, name: string, params: Modulator["params"] = {}) =>
  ({ id, name, kind: "lfo", scope: "sound", seed: 1, params }) as Modulator;

const route = (id: string, from: string, to: string, scaled_by: string | null = null) =>
  ({ id, from, to, depth: 3, scaled_by }) as Route;

/** A bus whose band holds an effect that a scaled route moves; its modulator is moved in turn. */
const moving = () =>
  ({
    layers: [{ id: "ground", filters: [{ id: "low1", kind: "lowpass", params: {} }] }],
    buses: [
      {
        id: "nave",
        effects: [effect("plain1"), effect("bands1", [{ id: "low", effects: [effect("grit1")] }])],
      },
    ],
    master: { effects: [effect("last1")] },
    modulators: [
      modulator("lfo1", "Tide"),
      modulator("lfo2", "Sway", { layer: "ground" }),
      modulator("lfo3", "Turn"),
      modulator("lfo4", "Else"),
    ],
    routes: [
      route("route1", "lfo1", "nave.bands1.low.grit1.mix", "lfo3"),
      route("route2", "lfo2", "lfo1.period"),
      route("route3", "lfo4", "nave.plain1.mix"),
      route("route4", "lfo4", "ground.low1.cutoff"),
      route("route5", "lfo4", "nave.bands10.mix"),
    ],
  }) as unknown as Sound;

const empty = () =>
  ({
    ...moving(),
    layers: [{ id: "other" }],
    buses: [],
    modulators: [modulator("lfo1", "Tide", { period: 2 })],
    routes: [],
  }) as unknown as Sound;

const room = { modulators: 8, routes: 8 };
const list = "/buses/0/effects";
const bands = (sound: Sound) => chainOf(sound, list, sound.buses[0]?.effects.slice(1) ?? []);
const changed = (before: Sound, made: Operation[]) => applyOperations(before, made).document;

describe("what moves a chain", () => {
  it("has the address of what its parts stand in", () => {
    const sound = moving();
    expect(addressOf(sound, "/layers/0/filters")).toBe("ground");
    expect(addressOf(sound, list)).toBe("nave");
    expect(addressOf(sound, `${list}/1/chains/0/effects`)).toBe("nave.bands1.low");
    expect(addressOf(sound, "/master/effects")).toBe("master");
  });

  it("is found to any depth, with what scales it, and nothing else", () => {
    const chain = bands(moving());
    expect(chain.modulators.map((one) => one.id)).toEqual(["lfo1", "lfo2", "lfo3"]);
    expect(chain.routes.map((one) => one.to)).toEqual([
      "chain.bands1.low.grit1.mix",
      "lfo1.period",
    ]);
  });

  it("moves a copy in the same sound by the same modulators", () => {
    const before = moving();
    const made = changed(before, pasted(before, bands(before), list, 8, room));
    expect(made.modulators).toEqual(before.modulators);
    expect(made.routes.slice(5)).toEqual([
      { ...before.routes[0], id: "route6", to: "nave.bands2.low.grit1.mix" },
    ]);
  });

  it("comes along into another sound, under free ids and names", () => {
    const before = empty();
    const made = changed(before, pasted(before, bands(moving()), "/master/effects", 8, room));
    expect(made.modulators.map((one) => [one.id, one.name])).toEqual([
      ["lfo1", "Tide"],
      ["lfo2", "Tide 1"],
      ["lfo3", "Sway"],
      ["lfo4", "Turn"],
    ]);
    // It followed a layer that is not here.
    expect(made.modulators[2]?.params.layer).toBe("");
    expect(made.routes.map((one) => [one.from, one.to, one.scaled_by])).toEqual([
      ["lfo2", "master.bands1.low.grit1.mix", "lfo4"],
      ["lfo3", "lfo2.period", null],
    ]);
  });

  it("comes along as far as there is room for it", () => {
    const before = empty();
    const into = (room: { modulators: number; routes: number }) =>
      changed(before, pasted(before, bands(moving()), "/master/effects", 8, room));
    const few = into({ modulators: 3, routes: 8 });
    expect(few.modulators).toHaveLength(3);
    // What scales the first route did not find room.
    expect(few.routes.map((one) => one.to)).toEqual(["lfo2.period"]);
    expect(into({ modulators: 8, routes: 1 }).routes).toHaveLength(1);
    const none = changed(before, pasted(before, bands(moving()), "/master/effects", 1, room));
    expect(none.master.effects).toHaveLength(1);
  });

  it("follows no layer when it is kept", () => {
    const kept = alone(bands(moving()));
    expect(kept.modulators.map((one) => one.params.layer)).toEqual([undefined, "", undefined]);
  });
});
