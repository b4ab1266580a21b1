import { expect, it, vi } from "vitest";
import type { Route } from "../api/client";
import type { Trajectories } from "../live/socket";
import { best, sameTo } from "./row-trajectories";

vi.mock("../live/socket", () => ({ useLive: () => undefined }));

const outline = () => ({
  value: new Float32Array(2),
  low: new Float32Array(2),
  high: new Float32Array(2),
});
const all: Trajectories = {
  start: 0,
  end: 60,
  modulators: { lfo: outline(), other: outline() },
  parameters: { "a.f.cutoff": outline(), "a.f.resonance": outline() },
  spread: {},
  depths: { r: 1, s: 1 },
  twoSided: ["lfo"],
};
const row = { address: "a.f.cutoff", movers: ["lfo"] };
const routes = [
  { id: "r", from: "lfo", to: "a.f.cutoff", scaled_by: "other" },
  { id: "s", from: "other", to: "a.f.resonance" },
] as Route[];
const same = (change: Partial<Trajectories>) => sameTo(row, routes, all, { ...all, ...change });

it("a row stays while nothing of its own changes", () => {
  expect(same({})).toBe(true);
  expect(same({ depths: { r: 1, s: 2 } })).toBe(true);
  expect(same({ parameters: { ...all.parameters, "a.f.resonance": outline() } })).toBe(true);
});

it("a row changes with its course, what moves and scales it, its depths and the time axis", () => {
  expect(same({ parameters: { ...all.parameters, "a.f.cutoff": outline() } })).toBe(false);
  expect(same({ modulators: { ...all.modulators, lfo: outline() } })).toBe(false);
  expect(same({ modulators: { ...all.modulators, other: outline() } })).toBe(false);
  expect(same({ depths: { r: 2, s: 1 } })).toBe(false);
  expect(same({ spread: { "a.f.cutoff": [new Float32Array(2), new Float32Array(2)] } })).toBe(
    false,
  );
  expect(same({ end: 61 })).toBe(false);
});

it("the stretch in view is shown from closer where that is known", () => {
  const closer = { ...all, start: 10, end: 20 };
  expect(best({ trajectories: all, closer }, [11, 19])).toBe(closer);
  expect(best({ trajectories: all, closer }, [11, 21])).toBe(all);
  expect(best({ trajectories: all, closer: null }, [11, 19])).toBe(all);
});
