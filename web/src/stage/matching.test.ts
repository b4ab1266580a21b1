import { describe, expect, it } from "vitest";
import { COLUMNS } from "./long-view";
import { Matching, meanLoudness } from "./matching";

const MOVING = { still: false, frozen: null };
const HELD = { still: true, frozen: null };
const tile = (loudness: number, revision = 3) => ({
  revision,
  first: 0,
  span: COLUMNS / 2,
  columns: 2,
  fine: false,
  loudness: [loudness, loudness],
});

describe("matched loudness", () => {
  it("is there as soon as both first pictures are", () => {
    const matching = new Matching();
    matching.takeTile(tile(-20), MOVING);
    expect(matching.gain(HELD)).toBe(0);
    matching.takeTile(tile(-24), HELD);
    expect(matching.gain(HELD)).toBeCloseTo(4);
    expect(matching.gain(MOVING)).toBe(0);
  });

  it("sets rough against rough and exact against exact", () => {
    const matching = new Matching();
    matching.takeTile(tile(-20), MOVING);
    matching.takeExact(3, -23, MOVING);
    matching.takeTile(tile(-24), HELD);
    expect(matching.gain(HELD)).toBeCloseTo(4);
    matching.takeExact(3, -26, HELD);
    expect(matching.gain(HELD)).toBeCloseTo(3);
  });

  it("compares states of one revision and one frozen moment alone", () => {
    const matching = new Matching();
    matching.takeTile(tile(-20), MOVING);
    matching.takeTile(tile(-24, 4), HELD);
    expect(matching.gain(HELD)).toBe(0);
    matching.takeTile(tile(-24), { still: true, frozen: 12 });
    expect(matching.gain({ still: true, frozen: 12 })).toBeCloseTo(4);
    expect(matching.gain({ still: true, frozen: 13 })).toBe(0);
    matching.clear();
    expect(matching.gain({ still: true, frozen: 12 })).toBe(0);
  });

  it("leaves parts of a picture and silence aside, and stays within bounds", () => {
    const matching = new Matching();
    matching.takeTile({ ...tile(-20), columns: 1 }, MOVING);
    matching.takeTile(tile(-50), HELD);
    expect(matching.gain(HELD)).toBe(0);
    matching.takeTile(tile(-20), MOVING);
    expect(matching.gain(HELD)).toBe(12);
    expect(meanLoudness([null, -90])).toBeNull();
    expect(meanLoudness([-20, null, -20])).toBeCloseTo(-20);
  });
});
