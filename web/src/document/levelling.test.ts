import { describe, expect, it } from "vitest";
import type { Sound } from "../api/client";
import { levelled, meanLevel } from "./levelling";
import { applyOperations, valueAt } from "./patch";

const sound = { layers: [{ id: "ground", params: { level: -6 } }] } as unknown as Sound;
const POINTER = "/layers/0/params/level";
const RANGE = { low: -80, high: 12 };

describe("the mean level", () => {
  it("is that of the power while something sounds", () => {
    expect(meanLevel([-20, -20])).toBeCloseTo(-20);
    // Half the power for half of the time: 10 log10(0.55) = -2.6 dB.
    expect(meanLevel([-20, -30, null, -90])).toBeCloseTo(-22.6, 2);
    expect(meanLevel([null, -80])).toBeNull();
  });
});

describe("a level", () => {
  it("moves by as much as is missing to the target", () => {
    const made = levelled(sound, POINTER, RANGE, -31.24, -25);
    expect(valueAt(applyOperations(sound, made.operations).document, POINTER)).toBe(0.2);
    expect(made.reached).toBeCloseTo(-25, 1);
  });

  it("stays within its range, and says what it reaches", () => {
    const made = levelled(sound, POINTER, RANGE, -60, -25);
    expect(made.level).toBe(12);
    expect(made.reached).toBe(-42);
  });
});
