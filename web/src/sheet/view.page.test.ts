import { describe, expect, it, vi } from "vitest";

vi.mock("../live/socket", () => ({ look: vi.fn() }));
const { inView, keptSpan, scrollBy, fractionOf, show, useView, zoomBy, zoomed } = await import(
  "./view"
);

describe("zoomed", () => {
  it("keeps the moment under the pointer where it is", () => {
    const span = zoomed([0, 240], 0.5, 60, 240);
    expect(span).toEqual([30, 150]);
    expect(fractionOf(60, span ?? [0, 1])).toBeCloseTo(0.25);
  });
  it("stops at a second and at the whole", () => {
    expect(zoomed([10, 12], 0.01, 11, 240)).toEqual([10.5, 11.5]);
    expect(zoomed([10, 200], 4, 100, 240)).toBeNull();
  });
  it("stays inside the length", () => {
    expect(keptSpan([-20, 40], 240)).toEqual([0, 60]);
    expect(keptSpan([230, 250], 240)).toEqual([220, 240]);
    expect(keptSpan([0, 240], 240)).toBeNull();
  });
});

it("scrolls by a fraction of what is in view", () => {
  useView.setState({ length: 240, span: null });
  expect(inView()).toEqual([0, 240]);
  show([100, 120]);
  scrollBy(0.5);
  expect(inView()).toEqual([110, 130]);
  zoomBy(2, 120);
  expect(inView()).toEqual([100, 140]);
});
