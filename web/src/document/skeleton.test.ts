import { describe, expect, it } from "vitest";
import type { Sound } from "../api/client";
import { skeletonOf } from "./skeleton";

const sound = (cutoff: number, name = "A") =>
  ({
    name,
    layers: [{ id: "a", params: { level: 0 }, filters: [{ id: "f", params: { cutoff } }] }],
    routes: [{ id: "r", to: "a.f.cutoff", depth: cutoff }],
  }) as unknown as Sound;

describe("a skeleton", () => {
  it("is the same object while only values change", () => {
    expect(skeletonOf(sound(100))).toBe(skeletonOf(sound(200)));
  });
  it("is another one where something has another name", () => {
    const before = skeletonOf(sound(100));
    expect(skeletonOf(sound(100, "B"))).not.toBe(before);
    expect(skeletonOf(sound(100, "B")).layers[0]?.params).toEqual({});
  });
});
