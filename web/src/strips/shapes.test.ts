import { describe, expect, it } from "vitest";
import { trajectoryPath } from "../routes/trajectory-path";
import { envelopeShape } from "./envelope-shape";

const time = (value: number, unit: "s" | "beats" | "hold" = "s") => ({ value, unit });

describe("the envelope's picture", () => {
  const params = {
    delay: time(1),
    attack: time(0.5, "hold"),
    hold: time(0),
    decay: time(2, "beats"),
    sustain: -6,
    release: time(4),
    attack_bend: 0,
    decay_bend: 0,
    release_bend: 0,
  };

  it("resolves times against the note and the tempo", () => {
    const { points, total, full } = envelopeShape(params, 20, 60);
    expect(total).toBe(24);
    expect(full).toBe(11);
    const at = (t: number) =>
      points.reduce((a, b) => (Math.abs(b[0] - t) < Math.abs(a[0] - t) ? b : a))[1];
    expect(at(0.5)).toBe(0);
    expect(at(6)).toBeCloseTo(0.5, 1);
    expect(at(18)).toBeCloseTo(0.501, 2);
    expect(at(24)).toBeCloseTo(0);
  });

  it("falls from where a short note ends", () => {
    const { points } = envelopeShape({ ...params, delay: time(0), attack: time(10) }, 5, 60);
    expect(Math.max(...points.map(([, level]) => level))).toBeCloseTo(0.5, 1);
  });
});

describe("an outline", () => {
  it("is a band between its lowest and highest values", () => {
    const outline = { value: [0, 1], low: [0, 0.5], high: [0.25, 1] };
    expect(trajectoryPath(outline, 100, 0, 50, (v) => v)).toBe("M0 37.5L100 0L100 25L0 50Z");
    expect(trajectoryPath({ value: [], low: [], high: [] }, 100, 0, 50, (v) => v)).toBe("");
  });
});
