import { describe, expect, it } from "vitest";
import type { Parameter } from "./catalogue";
import { parsed } from "./entry";
import { parameter } from "./examples";
import {
  atFraction,
  clock,
  fraction,
  kept,
  keyName,
  moved,
  parsedKey,
  parsedNumbers,
  shown,
  shownDepth,
  shownNumber,
  span,
  stepped,
} from "./values";

const base = parameter("x", { unit: "", default: 0, moves: "no", depth_unit: "", most: 4 });
const cutoff: Parameter = { ...base, unit: "Hz", low: 20, high: 20_000, scale: "logarithmic" };
const level: Parameter = { ...base, unit: "dB", low: -80, high: 12, scale: "decibel" };
const unison: Parameter = { ...base, kind: "integer", low: 1, high: 24 };
const stiffness: Parameter = { ...base, unit: "ppm", high: 20_000, scale: "squared" };
const attack: Parameter = { ...base, kind: "time", unit: "s", high: 600, scale: "logarithmic" };

describe("what is shown", () => {
  it("names keys as notes where the catalogue says so", () => {
    const key = { ...base, kind: "integer" as const, high: 127, display: "note" as const };
    expect(shown(key, 60)).toBe("C4");
    expect(parsed(key, "B♭3", 0)).toBe(58);
    expect(shown({ ...key, display: "unit" }, 60)).toBe("60");
  });

  it("carries its unit and a true minus", () => {
    expect(shown(cutoff, 880)).toBe("880 Hz");
    expect(shown(cutoff, 12_000)).toBe("12 kHz");
    expect(shown(level, -4.5)).toBe("−4.5 dB");
    expect(shown(level, -80)).toBe("−∞ dB");
    expect(shown({ ...base, unit: "%" }, 38)).toBe("38 %");
    expect(shown(attack, { value: 104, unit: "s" })).toBe("1 min 44 s");
    expect(shown(attack, { value: 0.62, unit: "hold" })).toBe("62 % of note");
    expect(shown(attack, { value: 8.25, unit: "beats" })).toBe("8.25 beats");
    const table: Parameter = { ...base, kind: "choice", choices: [{ value: "saw", name: "Saw" }] };
    expect(shown(table, "saw")).toBe("Saw");
  });

  it("is short", () => {
    expect(shownNumber(1234.567)).toBe("1235");
    expect(shownNumber(12.345)).toBe("12.3");
    expect(shownNumber(0.0251)).toBe("0.025");
    expect(shownNumber(Number.NEGATIVE_INFINITY)).toBe("−∞");
  });

  it("says which way a route goes", () => {
    expect(shownDepth(1.8, "oct", true)).toBe("± 1.8 oct");
    expect(shownDepth(22, "%", false)).toBe("+ 22 %");
    expect(shownDepth(-30, "%", false)).toBe("− 30 %");
    expect(shownDepth(-5, "dB", true)).toBe("∓ 5 dB");
  });

  it("tells lengths and clocks", () => {
    expect(span(3600)).toBe("1 h");
    expect(span(5400)).toBe("1 h 30 min");
    expect(span(120)).toBe("2 min");
    expect(clock(137.46, true)).toBe("2:17.4");
    expect(clock(59.96, true)).toBe("0:59.9");
    expect(clock(-3)).toBe("0:00");
  });
});

describe("moving a value", () => {
  it("follows the scale there and back", () => {
    for (const [parameter, low, high] of [
      [cutoff, 20, 20_000],
      [level, -80, 12],
      [base, 0, 100],
      [stiffness, 0, 20_000],
    ] as const) {
      for (const part of [0, 0.25, 0.5, 1]) {
        expect(fraction(parameter, atFraction(parameter, part, low, high), low, high)).toBeCloseTo(
          part,
          6,
        );
      }
    }
    expect(atFraction(cutoff, 0.5, 20, 20_000)).toBeCloseTo(Math.sqrt(20 * 20_000));
    expect(atFraction(stiffness, 0.1, 0, 20_000)).toBeCloseTo(200);
  });

  it("stays in range and whole where it must", () => {
    expect(kept(unison, 99)).toBe(24);
    expect(kept(unison, 2.6)).toBe(3);
    expect(kept(attack, { value: 99, unit: "hold" })).toEqual({ value: 8, unit: "hold" });
    expect(moved(base, 95, 0.2)).toBe(100);
    expect(moved(unison, 7, 0.001)).toBe(7);
  });

  it("steps by arrow keys", () => {
    expect(stepped(unison, 7, 1, 1)).toBe(9);
    expect(stepped(unison, 7, -1, 0.2)).toBe(6);
    expect(Number(stepped(cutoff, 880, 1, 1))).toBeGreaterThan(880);
    expect(Number(stepped(cutoff, 880, 1, 0.2))).toBeLessThan(Number(stepped(cutoff, 880, 1, 1)));
  });
});

describe("lists of numbers", () => {
  it("are shown with a true minus and read as they are typed", () => {
    expect(shown({ ...base, kind: "numbers" }, [0, 7, 12])).toBe("0  7  12");
    expect(parsedNumbers(base, "0 7, 12")).toEqual([0, 7, 12]);
    expect(parsedNumbers({ ...base, low: -36 }, "−12  0")).toEqual([-12, 0]);
    expect(parsedNumbers(base, "")).toEqual([]);
  });

  it("keep in range, and refuse words and too many", () => {
    expect(parsedNumbers(base, "500")).toEqual([100]);
    expect(parsedNumbers(base, "0 fifth")).toBeNull();
    expect(parsedNumbers(base, "1 2 3 4 5")).toBeNull();
  });
});

describe("keys", () => {
  it("are notes and cents", () => {
    expect(keyName(60)).toBe("C4");
    expect(keyName(58.88)).toBe("B3 −12 ct");
    expect(keyName(0)).toBe("C-1");
  });

  it("are read as they are shown, and as they are typed", () => {
    for (const key of [0, 43.02, 60, 66, 70.5, 127]) {
      expect(parsedKey(keyName(key))).toBeCloseTo(key, 6);
    }
    expect(parsedKey("c#3")).toBe(49);
    expect(parsedKey("Bb2 + 5")).toBeCloseTo(46.05, 6);
    expect(parsedKey("61.5")).toBe(61.5);
  });

  it("that make no sense are none", () => {
    for (const text of ["", "H2", "C", "C12", "-3"]) expect(parsedKey(text)).toBeNull();
  });
});
