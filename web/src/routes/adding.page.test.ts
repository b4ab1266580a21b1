import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { OpenedSound } from "../api/client";
import { catalogueOf, module } from "../document/examples";
import { takeUp, undo, useSession } from "../session/store";
import { addModulatorEntries } from "./adding";

const kind = (name: string, category: string) => ({
  ...module("modulator", name),
  name: name.toUpperCase(),
  help: `What ${name} does`,
  category,
});
const catalogue = catalogueOf(
  kind("lfo", "Cycles"),
  kind("random", "Chance"),
  kind("envelope", "Notes"),
  kind("key", "Notes"),
  kind("wheel", "Controls"),
);

beforeEach(() => {
  vi.stubGlobal("fetch", async () => new Response("{}", { status: 200 }));
  takeUp({
    id: 7,
    revision: 1,
    score_revision: 1,
    document: { name: "A", layers: [], buses: [], modulators: [], routes: [] },
    score: { length: 10, notes: [], markers: [] },
    cue: { id: 3, number: "1m1", name: "Cue", sounds: [] },
    production: { id: 1, name: "Film" },
  } as unknown as OpenedSound);
});
afterEach(() => vi.unstubAllGlobals());

const names = () => useSession.getState().sound?.modulators.map((m) => m.kind);

it("offers every kind of modulator once, as the catalogue has them", () => {
  const entries = addModulatorEntries(catalogue);
  expect(entries.map((entry) => entry.name)).toEqual(["LFO", "RANDOM", "ENVELOPE", "KEY", "WHEEL"]);
  expect(entries[0]?.help).toBe("What lfo does");
});

it("adds one, selects it and says its id; undo takes it away", () => {
  const then = vi.fn();
  addModulatorEntries(catalogue, then)[1]?.act();
  expect(names()).toEqual(["random"]);
  const id = useSession.getState().sound?.modulators[0]?.id;
  expect(useSession.getState().modulator).toBe(id);
  expect(then).toHaveBeenCalledWith(id);
  undo();
  expect(names()).toEqual([]);
});

it("offers none beyond the most that a sound can have", () => {
  for (let i = 0; i < 32; i++) addModulatorEntries(catalogue)[0]?.act();
  expect(new Set(useSession.getState().sound?.modulators.map((m) => m.id)).size).toBe(32);
  expect(addModulatorEntries(catalogue).every((entry) => entry.disabled)).toBe(true);
});
