import { describe, expect, it } from "vitest";
import { COLUMNS } from "../spectrogram/long-view";
import { Matching, meanLoudness } from "./matching";

const tile = (loudness: number) => ({
  first: 0,
  span: COLUMNS / 2,
  columns: 2,
  fine: false,
  loudness: [loudness, loudness],
});

describe("matched loudness", () => {
  it("is there as soon as both first pictures are", () => {
    const matching = new Matching();
    matching.takeTile("moving", tile(-20));
    expect(matching.gain("held", "moving")).toBe(0);
    matching.takeTile("held", tile(-24));
    expect(matching.gain("held", "moving")).toBeCloseTo(4);
    expect(matching.gain("moving", "moving")).toBe(0);
  });

  it("sets rough against rough and exact against exact", () => {
    const matching = new Matching();
    matching.takeTile("moving", tile(-20));
    matching.takeExact("moving", -23, -9);
    matching.takeTile("held", tile(-24));
    expect(matching.gain("held", "moving")).toBeCloseTo(4);
    expect(matching.exact("held", "moving")).toBe(false);
    matching.takeExact("held", -26, -9);
    expect(matching.gain("held", "moving")).toBeCloseTo(3);
    expect(matching.exact("held", "moving")).toBe(true);
  });

  it("leaves parts of a picture and silence aside, and stays within bounds", () => {
    const matching = new Matching();
    matching.takeTile("a", { ...tile(-20), columns: 1 });
    matching.takeTile("b", tile(-50));
    expect(matching.gain("b", "a")).toBe(0);
    matching.takeTile("a", tile(-20));
    expect(matching.gain("b", "a")).toBe(24);
    expect(meanLoudness([null, -90])).toBeNull();
    expect(meanLoudness([-20, null, -20])).toBeCloseTo(-20);
  });

  it("knows how much louder a state may be made", () => {
    const matching = new Matching();
    expect(matching.headroom("a")).toBe(0);
    matching.takeTile("a", tile(-30));
    expect(matching.headroom("a")).toBeCloseTo(11);
    matching.takeExact("a", -30, -6.5);
    expect(matching.headroom("a")).toBeCloseTo(5.5);
    matching.takeExact("a", -3, 2);
    expect(matching.headroom("a")).toBe(0);
  });

  it("forgets what was of use longest ago", () => {
    const matching = new Matching();
    matching.takeExact("first", -20, -9);
    for (let i = 0; i < 80; i++) matching.takeExact(`${i}`, -30, -9);
    expect(matching.gain("79", "first")).toBe(0);
    expect(matching.gain("79", "78")).toBe(0);
    matching.takeExact("78", -28, -9);
    expect(matching.gain("79", "78")).toBeCloseTo(2);
  });
});
