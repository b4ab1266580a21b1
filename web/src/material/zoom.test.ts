import { describe, expect, it } from "vitest";
import { choseFrom, choseTo, endOf, moved, spanOf, type View, zoomed } from "./zoom";

const whole: View = { start: 0, end: null, chosen: null, seconds: 8 };
const part: View = { ...whole, start: 2, end: 6 };

describe("looking closer", () => {
  it("keeps what is under the pointer where it is", () => {
    const near = zoomed(whole, 0.5, 2);
    expect([near.start, near.end]).toEqual([1, 5]);
    const fraction = (view: View) => (2 - view.start) / spanOf(view);
    expect(fraction(near)).toBeCloseTo(fraction(whole));
  });

  it("ends at the whole and at a fiftieth of a second", () => {
    expect(zoomed(part, 100)).toMatchObject({ start: 0, end: null });
    expect(spanOf(zoomed(part, 1e-6))).toBeCloseTo(0.02);
  });

  it("never looks beyond either end", () => {
    const left = zoomed({ ...part, start: 0, end: 2 }, 2, 2);
    expect(left.start).toBe(0);
    const right = zoomed({ ...part, start: 6, end: 8 }, 2, 6);
    expect(endOf(right)).toBeLessThanOrEqual(8);
  });
});

describe("moving along", () => {
  it("goes by a fraction of what is seen, to the ends", () => {
    expect(moved(part, 0.25)).toMatchObject({ start: 3, end: 7 });
    expect(moved(part, -9)).toMatchObject({ start: 0, end: 4 });
    expect(moved(part, 9)).toMatchObject({ start: 4, end: 8 });
  });

  it("leaves the whole alone", () => {
    expect(moved(whole, 1)).toBe(whole);
  });
});

describe("choosing by keyboard", () => {
  it("begins with a part in the middle and moves its end", () => {
    const chosen = choseTo(whole, 1).chosen;
    expect(chosen?.[0]).toBe(2);
    expect(chosen?.[1]).toBeCloseTo(4.16);
  });

  it("moves its start, and neither end past the other", () => {
    const view: View = { ...whole, chosen: [2, 2.1] };
    expect(choseFrom(view, 50).chosen?.[0]).toBeCloseTo(2.09);
    expect(choseTo(view, -50).chosen?.[1]).toBeCloseTo(2.01);
    expect(choseFrom(view, -999).chosen?.[0]).toBe(0);
    expect(choseTo(view, 9999).chosen?.[1]).toBe(8);
    expect(choseFrom(whole, 1)).toBe(whole);
  });
});
