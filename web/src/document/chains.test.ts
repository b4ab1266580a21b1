import { describe, expect, it } from "vitest";
import type { Effect, Sound } from "../api/client";
import { alone, type Chain, moveTo, type Processor, pasted, slotOf } from "./chains";
import { applyOperations, type Operation } from "./patch";

const effect = (id: string, kind = "chorus"): Effect => ({
  id,
  kind,
  params: { mix: 20 },
  bypass: false,
  chains: [],
});

const still = (parts: Processor[]): Chain => ({ parts, modulators: [], routes: [] });
const room = { modulators: 3, routes: 4 };

const sound = (effects: Effect[]) =>
  ({
    layers: [{ id: "ground" }],
    buses: [],
    master: { effects },
    modulators: [],
    routes: [],
  }) as unknown as Sound;
const ids = (made: Sound) => made.master.effects.map((one) => one.id);

const changed = (before: Sound, made: Operation[]) => applyOperations(before, made).document;

describe("chains", () => {
  it("moves to any place, both ways", () => {
    const before = sound(["a", "b", "c", "d"].map((id) => effect(id)));
    const slot = slotOf("/master/effects/1");
    expect(slot).toEqual({ list: "/master/effects", index: 1 });
    expect(ids(changed(before, moveTo(before, slot, 3)))).toEqual(["a", "c", "d", "b"]);
    expect(ids(changed(before, moveTo(before, slot, 0)))).toEqual(["b", "a", "c", "d"]);
    expect(moveTo(before, slot, 1)).toEqual([]);
  });

  it("pastes copies under free ids, as many as there is room for", () => {
    const before = sound([effect("chorus"), effect("chorus1"), effect("reverb")]);
    const copies = [effect("chorus"), effect("reverb", "reverb"), effect("delay", "delay")];
    const made = changed(before, pasted(before, still(copies), "/master/effects", 5, room));
    expect(ids(made)).toEqual(["chorus", "chorus1", "reverb", "chorus2", "reverb1"]);
    expect(made.master.effects[3]?.params).toEqual({ mix: 20 });
    expect(made.master.effects[3]).not.toBe(copies[0]);
    expect(pasted(before, still(copies), "/master/effects", 3, room)).toEqual([]);
  });

  it("listens to nothing where what it listened to is not in the sound, also inside", () => {
    const listening = (side: string) => ({ ...effect("squash", "compressor"), params: { side } });
    const bands = {
      ...effect("bands", "multiband"),
      chains: [{ id: "low", effects: [listening("elsewhere")] }],
    };
    const copies = [listening("ground"), listening("elsewhere"), bands];
    const before = sound([]);
    const made = changed(before, pasted(before, still(copies), "/master/effects", 8, room)).master
      .effects;
    expect(made.map((one) => one.params.side)).toEqual(["ground", "", undefined]);
    expect(made[2]?.chains?.[0]?.effects?.[0]?.params.side).toBe("");
    expect(bands.chains[0]?.effects[0]?.params.side).toBe("elsewhere");
  });

  it("keeps copies that listen to nothing outside them", () => {
    const squash = { ...effect("squash", "compressor"), params: { side: "ground", mix: 30 } };
    const copies = alone(still([squash, effect("chorus")])).parts;
    expect(copies.map((part) => part.params)).toEqual([{ side: "", mix: 30 }, { mix: 20 }]);
    expect(squash.params.side).toBe("ground");
  });
});
