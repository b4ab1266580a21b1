import { readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import type { Route, Score } from "../api/client";
import { FORMATS } from "../exporting/formats";
import { changedRoutes, foreseen } from "../sheet/foresight";
import { envelopeShape } from "../strips/envelope-shape";
import { curved } from "./curvature";
import { parameter } from "./examples";
import { laneAt } from "./lanes";
import { keptRolls } from "./seeds";
import { beatsAt, secondsAt } from "./tempo";
import { keyName, parsedKey } from "./values";

/** Numbers of the core, see `tests/vectors.py`. */
const vectors = JSON.parse(readFileSync(join(__dirname, "../../../tests/vectors.json"), "utf8"));

describe("what the page computes as the core does", () => {
  it("curves segments", () => {
    for (const [x, curvature, y] of vectors.curvature) {
      expect(curved(x, curvature)).toBeCloseTo(y, 9);
    }
  });

  it("names notes, and reads their names", () => {
    for (const [key, name] of vectors.notes) {
      expect(keyName(key)).toBe(name);
      expect(parsedKey(name)).toBe(key);
    }
  });

  it("follows lanes", () => {
    for (const kind of ["linear", "logarithmic"]) {
      const { points, values } = vectors.lane[kind];
      vectors.lane.times.forEach((time: number, i: number) => {
        expect(laneAt(points, time, kind === "logarithmic")).toBeCloseTo(values[i], 5);
      });
    }
  });

  it("draws envelopes", () => {
    for (const { hold, params, times, values } of vectors.envelopes) {
      const { points } = envelopeShape(params, hold, 120);
      times.forEach((time: number, i: number) => {
        const [at, level] = points[8 * i] ?? [Number.NaN, Number.NaN];
        expect(at).toBeCloseTo(time, 9);
        expect(level).toBeCloseTo(values[i], 9);
      });
    }
  });

  it("keeps earlier seeds, those with names the longest", () => {
    for (const { rolls, seed, most, kept } of vectors.rolls) {
      expect(keptRolls(rolls, seed, most)).toEqual(kept);
    }
  });

  it("adds up routes", () => {
    for (const { route, depths, modulators, two_sided, before, after } of vectors.routes) {
      const moved = { id: "r", from: "m", to: "ground.level", muted: false, ...route } as Route;
      const outline = (values: number[]) => {
        const value = Float32Array.from(values);
        return { value, low: value, high: value };
      };
      const known = {
        modulators: Object.fromEntries(
          Object.entries(modulators).map(([id, values]) => [id, outline(values as number[])]),
        ),
        depths: { r: depths[0] },
        twoSided: two_sided,
      };
      const dragged = [{ ...moved, depth: depths[1] }];
      expect(changedRoutes(dragged, known)).toHaveLength(1);
      const level = { ...parameter("level"), low: -80, high: 12 };
      const [line] = foreseen([Float32Array.from(before)], level, dragged, known);
      after.forEach((value: number, i: number) => {
        expect(line?.[i]).toBeCloseTo(value, 2);
      });
    }
  });

  it("counts beats through changes of tempo", () => {
    const { tempo, seconds, beats } = vectors.beats;
    const score = { tempo } as Score;
    seconds.forEach((at: number, i: number) => {
      expect(beatsAt(score, at)).toBeCloseTo(beats[i], 9);
      expect(secondsAt(score, beats[i])).toBeCloseTo(at, 9);
    });
  });

  it("offers the sample formats that there are", () => {
    const offered = Object.entries(FORMATS).map(([name, { containers }]) => [name, containers]);
    expect(Object.fromEntries(offered)).toEqual(vectors.sample_formats);
  });
});
