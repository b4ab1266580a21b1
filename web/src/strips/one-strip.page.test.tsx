import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, render, screen } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { OpenedSound } from "../api/client";
import { catalogueOf, module, parameter } from "../document/examples";
import * as values from "../document/values";
import { Editor } from "../layers/Editor";
import { Movement } from "../movement/Movement";
import { edit, takeUp, useSession } from "../session/store";
import { CatalogueContext } from "../ui/catalogue-context";
import { useUnfolded } from "./unfolded";

vi.mock("../live/socket", async () => {
  const { create } = await import("zustand");
  const state = {
    trajectories: { modulators: {}, parameters: {}, spread: {}, depths: {}, twoSided: [] },
    quick: {},
    pictures: {},
    summary: null,
  };
  return { useLive: create(() => state), look: () => undefined };
});
// Stations only say which strips are shown; here it is all of them.
vi.mock("../layers/Stations", () => ({
  Stations: ({ stations }: { stations: { id: string; content: ReactNode }[] }) =>
    stations.map(({ id, content }) => <div key={id}>{content}</div>),
}));
vi.mock("../document/values", async (original) => {
  const actual = await original<typeof values>();
  return { ...actual, shown: vi.fn(actual.shown) };
});

useUnfolded.setState({ everything: true });
const catalogue = catalogueOf(
  module("part", "layer", parameter("level", { group: "Mix" }), parameter("pan", { group: "Mix" })),
  module("part", "amplitude", parameter("attack"), parameter("release")),
  module("part", "send", parameter("level")),
  module("part", "sound", parameter("pace")),
  module("part", "master", parameter("level")),
  module("source", "plain", parameter("position"), parameter("fine")),
  module("filter", "lowpass", parameter("cutoff"), parameter("resonance")),
  module("effect", "reverb", parameter("mix"), parameter("decay")),
  module("modulator", "lfo", parameter("skew"), parameter("phase")),
);

function sound() {
  return {
    name: "S",
    params: {},
    layers: [
      {
        id: "layer1",
        kind: "layer",
        name: "Floor",
        params: { level: 5, pan: 5, arrangement: "series" },
        mute: false,
        solo: false,
        source: { id: "source", kind: "plain", params: { position: 5, fine: 5 }, items: [] },
        filters: [{ id: "f", kind: "lowpass", params: { cutoff: 5, resonance: 5 }, bypass: false }],
        envelope: { id: "envelope", kind: "amplitude", params: { attack: 5, release: 5 } },
        inserts: [
          { id: "r", kind: "reverb", params: { mix: 5, decay: 5 }, bypass: false, chains: [] },
        ],
        sends: [],
      },
    ],
    buses: [],
    master: { id: "master", kind: "master", params: { level: 5 }, effects: [] },
    modulators: [
      {
        id: "m",
        kind: "lfo",
        name: "Tide",
        params: { skew: 5, phase: 5 },
        seed: 1,
        scope: "sound",
      },
    ],
    lanes: [],
    routes: [
      {
        id: "route1",
        from: "m",
        to: "layer1.f.cutoff",
        depth: 1,
        polarity: "bipolar",
        curve: 0,
        scaled_by: null,
        muted: false,
      },
    ],
  };
}

beforeEach(() => {
  vi.stubGlobal("fetch", async () => {
    const saved = { revision: 2, document: useSession.getState().sound };
    return new Response(JSON.stringify(saved), { headers: { "Content-Type": "application/json" } });
  });
  takeUp({
    id: 7,
    revision: 1,
    score_revision: 1,
    document: sound(),
    score: { length: 10, notes: [], markers: [], tempo: [] },
    cue: { id: 3, number: "1m1", name: "Cue", sounds: [] },
    production: { id: 1, name: "Film" },
  } as unknown as OpenedSound);
  render(
    <QueryClientProvider client={new QueryClient()}>
      <CatalogueContext.Provider value={catalogue}>
        <Editor />
        <Movement />
      </CatalogueContext.Provider>
    </QueryClientProvider>,
  );
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

/** How many strips were rendered, by what each asks for: how its value is written. */
function rendered(change: () => void): string[] {
  vi.mocked(values.shown).mockClear();
  act(change);
  return [...new Set(vi.mocked(values.shown).mock.calls.map(([p, v]) => `${p.key} ${v}`))];
}

const replace = (path: string, value: number) => () =>
  edit("sound", [{ op: "replace", path, value }], "Change");

it("shows a strip for every parameter of the chain and the chosen modulator", () => {
  expect(screen.getAllByRole("slider").length).toBe(12);
});

it("renders one strip when one value changes", () => {
  expect(rendered(replace("/layers/0/filters/0/params/resonance", 9))).toEqual(["resonance 9"]);
  expect(rendered(replace("/layers/0/filters/0/params/cutoff", 9))).toEqual(["cutoff 9"]);
  expect(rendered(replace("/layers/0/inserts/0/params/decay", 3))).toEqual(["decay 3"]);
  expect(rendered(replace("/modulators/0/params/skew", 9))).toEqual(["skew 9"]);
});

it("renders no strip when a depth changes, since none shows it", () => {
  expect(rendered(replace("/routes/0/depth", 2))).toEqual([]);
});

it("would notice if all were rendered: a new name renders them", () => {
  const rename = () =>
    edit("sound", [{ op: "replace", path: "/layers/0/name", value: "Wall" }], "Rename");
  expect(rendered(rename).length).toBeGreaterThan(8);
});
