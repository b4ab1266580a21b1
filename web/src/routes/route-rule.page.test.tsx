import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { OpenedSound } from "../api/client";
import { catalogueOf, module, parameter } from "../document/examples";
import { takeUp, useSession } from "../session/store";
import { CatalogueContext } from "../ui/catalogue-context";
import { RouteEditor } from "./RouteEditor";

vi.mock("../live/socket", async () => {
  const { create } = await import("zustand");
  return { useLive: create(() => ({ trajectories: { twoSided: ["each"] } })) };
});

const modulator = (id: string, scope: string) => ({ id, kind: "lfo", name: id, params: {}, scope });
const catalogue = catalogueOf(module("modulator", "lfo"), {
  ...module("modulator", "velocity"),
  always_per_note: true,
});
const route = (id: string, from: string, polarity = "bipolar") => ({
  id,
  from,
  to: "master.level",
  depth: 1,
  polarity,
  curve: 0,
  scaled_by: null,
  muted: false,
  rule: "newest",
});

function shown(id: string, moves: "shared" | "per note") {
  render(
    <CatalogueContext.Provider value={catalogue}>
      <RouteEditor id={id} parameter={parameter("level", { moves })} />
    </CatalogueContext.Provider>,
  );
}

beforeEach(() => {
  vi.stubGlobal("fetch", async () => new Response("{}"));
  const document = {
    name: "S",
    params: {},
    layers: [],
    buses: [],
    master: { id: "master", kind: "master", params: { level: 5 }, effects: [] },
    modulators: [
      modulator("each", "note"),
      modulator("all", "sound"),
      { ...modulator("touch", "sound"), kind: "velocity" },
    ],
    lanes: [],
    routes: [
      route("r1", "each"),
      route("r2", "all"),
      route("r3", "each", "unipolar"),
      route("r4", "touch"),
    ],
  };
  takeUp({
    id: 7,
    revision: 1,
    score_revision: 1,
    document,
    score: { length: 10, notes: [], markers: [], tempo: [] },
    cue: { id: 3, number: "1m1", name: "Cue", sounds: [] },
    production: { id: 1, name: "Film" },
  } as unknown as OpenedSound);
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

it("lets be chosen whose movement holds where notes share what is moved", () => {
  shown("r4", "shared");
  fireEvent.change(screen.getByLabelText("Notes"), { target: { value: "loudest" } });
  expect(useSession.getState().sound?.routes[3]?.rule).toBe("loudest");
  cleanup();
  shown("r1", "shared");
  fireEvent.change(screen.getByLabelText("Notes"), { target: { value: "mean" } });
  expect(useSession.getState().sound?.routes[0]?.rule).toBe("mean");
});

it("asks for no rule where each note has its own, or all move alike", () => {
  shown("r1", "per note");
  shown("r2", "shared");
  expect(screen.queryByLabelText("Notes")).toBeNull();
});

it("explains what is added in the middle and at nothing", () => {
  shown("r1", "per note");
  expect(screen.queryByText(/half the depth|whole depth/)).toBeNull();
  shown("r3", "per note");
  screen.getByText(/in its middle it adds half the depth/);
  shown("r2", "per note");
  screen.getByText(/at 0 it takes the whole depth away/);
});
