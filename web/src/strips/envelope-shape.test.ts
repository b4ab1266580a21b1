import { describe, expect, it } from "vitest";
import type { Value } from "../api/client";
import { envelopeShape } from "./envelope-shape";

const s = (value: number, unit = "s") => ({ value, unit }) as Value;
const at = (points: [number, number][], seconds: number) =>
  points.reduce((best, p) =>
    Math.abs(p[0] - seconds) < Math.abs(best[0] - seconds) ? p : best,
  )[1];

describe("an envelope", () => {
  it("rises, stays, falls to its sustain and is released", () => {
    const shape = envelopeShape(
      { attack: s(2), hold: s(1), decay: s(2), sustain: -6.0206, release: s(2) },
      8,
      60,
    );
    expect(shape.full).toBe(2);
    expect(shape.total).toBe(10);
    expect(at(shape.points, 1)).toBeCloseTo(0.5, 1);
    expect(at(shape.points, 2.5)).toBe(1);
    expect(at(shape.points, 4)).toBeCloseTo(0.75, 1);
    expect(at(shape.points, 7)).toBeCloseTo(0.5, 3);
    expect(at(shape.points, 9)).toBeCloseTo(0.25, 1);
    expect(at(shape.points, 10)).toBeCloseTo(0);
  });

  it("takes times in beats and in fractions of the note", () => {
    const shape = envelopeShape({ attack: s(2, "beats"), release: s(0.5, "hold") }, 8, 120);
    expect(shape.full).toBe(1);
    expect(shape.total).toBe(12);
  });

  it("waits for its delay", () => {
    const shape = envelopeShape({ delay: s(3), attack: s(1), sustain: 0 }, 8, 60);
    expect(at(shape.points, 2.9)).toBe(0);
    expect(shape.full).toBe(4);
  });

  it("bends: above zero it is quick at first", () => {
    const half = (attack_bend: number) =>
      at(envelopeShape({ attack: s(8), attack_bend }, 8, 60).points, 4);
    expect(half(60)).toBeGreaterThan(0.7);
    expect(half(-60)).toBeLessThan(0.3);
    expect(half(0)).toBeCloseTo(0.5);
  });

  it("is released from where it is when the note is shorter than its rise", () => {
    const shape = envelopeShape({ attack: s(8), release: s(2) }, 4, 60);
    expect(Math.max(...shape.points.map((p) => p[1]))).toBeCloseTo(0.5, 1);
    expect(shape.points.at(-1)?.[1]).toBeCloseTo(0);
  });
});
