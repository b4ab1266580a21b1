import { describe, expect, it } from "vitest";
import { type Axis, hertzOf, LOUD, levelsOf, Peaks, QUIET, reach } from "./analysed";

const AXIS: Axis = { rows: 224, low: 27.5, high: 16000 };
const RATE = 48_000;
const SIZE = 2048;

/** What a browser's analyser says of a sine: a Blackman window, scaled by its length, in dB. */
function analysed(hertz: number, amplitude: number): Float32Array {
  const bins = new Float32Array(SIZE / 2);
  const window = (n: number) =>
    0.42 - 0.5 * Math.cos((2 * Math.PI * n) / SIZE) + 0.08 * Math.cos((4 * Math.PI * n) / SIZE);
  for (let k = 0; k < bins.length; k++) {
    let [real, imaginary] = [0, 0];
    for (let n = 0; n < SIZE; n++) {
      const x = amplitude * Math.sin((2 * Math.PI * hertz * n) / RATE) * window(n);
      real += x * Math.cos((2 * Math.PI * k * n) / SIZE);
      imaginary -= x * Math.sin((2 * Math.PI * k * n) / SIZE);
    }
    bins[k] = 20 * Math.log10(Math.max(1e-12, Math.hypot(real, imaginary) / SIZE));
  }
  return bins;
}

const strongest = (levels: Float32Array) => levels.indexOf(Math.max(...levels));

describe("the spectrum that is heard now", () => {
  it("shows a sine at its frequency and level", () => {
    const hertz = (43 * RATE) / SIZE;
    const levels = levelsOf(analysed(hertz, 0.1), RATE / SIZE, AXIS);
    const row = strongest(levels);
    expect(Math.abs(Math.log2(hertzOf(row, AXIS) / hertz))).toBeLessThan(0.03);
    expect(levels[row]).toBeCloseTo(-20, 1);
  });

  it("shows lows between bins without gaps", () => {
    const levels = levelsOf(analysed(70, 1), RATE / SIZE, AXIS);
    expect(Math.abs(Math.log2(hertzOf(strongest(levels), AXIS) / 70))).toBeLessThan(0.25);
    expect(Math.max(...levels)).toBeGreaterThan(-3);
  });

  it("takes nothing for quiet", () => {
    const silent = new Float32Array(1024).fill(Number.NEGATIVE_INFINITY);
    const levels = levelsOf(silent, RATE / SIZE, AXIS);
    expect([...levels].every((level) => level === QUIET)).toBe(true);
    expect(levelsOf(new Float32Array(0), RATE / SIZE, AXIS).every((x) => x === QUIET)).toBe(true);
  });

  it("reaches from the middle to the edge", () => {
    expect(reach(QUIET)).toBe(0);
    expect(reach(LOUD)).toBe(1);
    expect(reach(12)).toBe(1);
  });

  it("holds peaks before they fall", () => {
    const peaks = new Peaks(2);
    peaks.take(new Float32Array([-20, QUIET]), 0, 50);
    peaks.take(new Float32Array([QUIET, -30]), 1000, 50);
    expect([...peaks.levels]).toEqual([-20, -30]);
    peaks.take(new Float32Array([QUIET, QUIET]), 2000, 1000);
    expect(peaks.levels[0]).toBeCloseTo(-32, 5);
    expect(peaks.levels[1]).toBe(-30);
  });
});
