import { describe, expect, it } from "vitest";
import type { Parameter } from "./catalogue";
import { parsed, wouldDo } from "./entry";
import { parameter } from "./examples";
import { shown } from "./values";

const base = parameter("x", { unit: "", default: 0, moves: "no", depth_unit: "", most: 4 });
const cutoff: Parameter = { ...base, unit: "Hz", low: 20, high: 20_000, scale: "logarithmic" };
const level: Parameter = { ...base, unit: "dB", low: -80, high: 12, scale: "decibel" };
const unison: Parameter = { ...base, kind: "integer", low: 1, high: 24 };
const attack: Parameter = { ...base, kind: "time", unit: "s", high: 600, scale: "logarithmic" };

describe("what is typed", () => {
  it("is read with its unit", () => {
    expect(parsed(cutoff, "2.5 kHz", 100)).toBe(2500);
    expect(parsed(cutoff, "1,5k", 100)).toBe(1500);
    expect(parsed(level, "−6 dB", 0)).toBe(-6);
    expect(parsed(level, "-inf", 0)).toBe(-80);
    expect(parsed(attack, "250 ms", { value: 1, unit: "s" })).toEqual({ value: 0.25, unit: "s" });
    expect(parsed(attack, "1:30", { value: 1, unit: "s" })).toEqual({ value: 90, unit: "s" });
    expect(parsed(attack, "2 min", { value: 1, unit: "s" })).toEqual({ value: 120, unit: "s" });
    expect(parsed(attack, "25 %", { value: 1, unit: "s" })).toEqual({ value: 0.25, unit: "hold" });
    expect(parsed(attack, "4 beats", { value: 1, unit: "s" })).toEqual({ value: 4, unit: "beats" });
  });

  it("keeps a time's unit when none is given", () => {
    expect(parsed(attack, "3", { value: 1, unit: "beats" })).toEqual({ value: 3, unit: "beats" });
    expect(parsed(attack, "40", { value: 1, unit: "hold" })).toEqual({ value: 0.4, unit: "hold" });
  });

  it("is refused where it makes no sense", () => {
    for (const text of ["", "loud", "- -3", "5 parsecs"]) {
      expect(parsed(attack, text, { value: 1, unit: "s" })).toBeNull();
    }
  });

  it("is refused with a unit of something else", () => {
    for (const text of ["3 s", "1 oct", "-6 dB", "50 %", "2 Hz s"]) {
      expect(parsed(cutoff, text, 880)).toBeNull();
    }
    for (const text of ["3 Hz", "C4", "*2", "+1 oct"]) expect(parsed(level, text, -6)).toBeNull();
    expect(parsed(unison, "3 dB", 2)).toBeNull();
    expect(wouldDo(cutoff, "880 Hz")).toBe("880 Hz, C4, +1 oct, *2");
    expect(wouldDo(attack, "2 s")).toBe("2 s, 1:30, 4 beats, *2");
  });

  it("may be a note where a frequency is meant", () => {
    expect(parsed(cutoff, "A4", 100)).toBe(440);
    expect(parsed(cutoff, "C4", 100)).toBeCloseTo(261.626, 2);
    expect(parsed(cutoff, "F♯2 +20 ct", 100)).toBeCloseTo(92.499 * 2 ** (20 / 1200), 2);
  });

  it("may be a change of what is there", () => {
    expect(parsed(cutoff, "+1 oct", 440)).toBe(880);
    expect(parsed(cutoff, "−12 st", 440)).toBe(220);
    expect(parsed(cutoff, "+ 50 ct", 1000)).toBeCloseTo(1029.302, 2);
    expect(parsed(cutoff, "*2", 440)).toBe(880);
    expect(parsed(cutoff, "/4", 440)).toBe(110);
    expect(parsed(cutoff, "-100 Hz", 440)).toBe(340);
    const mix: Parameter = { ...base, unit: "%", low: 0, high: 100 };
    expect(parsed(mix, "-10 %", 40)).toBe(30);
    expect(parsed(mix, "-6 dB", 40)).toBeCloseTo(20.05, 1);
    expect(parsed(attack, "*3", { value: 2, unit: "beats" })).toEqual({ value: 6, unit: "beats" });
    // A level has a sign of its own; what is meant as a change says so.
    expect(parsed(level, "-3 dB", -6)).toBe(-3);
    expect(parsed(level, "+= 3 dB", -6)).toBe(-3);
    expect(parsed(level, "-= 3", -6)).toBe(-9);
    const fine: Parameter = { ...base, unit: "ct", low: -1200, high: 1200 };
    expect(parsed(fine, "7 st", 0)).toBe(700);
    expect(parsed(fine, "-1 oct", 0)).toBe(-1200);
  });

  it("reads back what is shown", () => {
    for (const value of [21, 440, 880, 9_999]) {
      expect(parsed(cutoff, shown(cutoff, value), 0)).toBe(value);
    }
  });
});
