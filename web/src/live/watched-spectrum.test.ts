import { expect, test } from "vitest";
import { WatchedSpectrum } from "./watched-spectrum";

const header = (at: number, slot = "ground.filter1") => ({
  stream: 1,
  at,
  slot,
  bin_hertz: 5.86,
  floor: -128,
});

test("a spectrum is shown once it is heard, and not long after", () => {
  const watched = new WatchedSpectrum();
  watched.take(header(2.0), new Uint8Array([0, 100, 20, 255]));
  watched.take(header(2.1), new Uint8Array([2, 2, 2, 2]));
  expect(watched.at(1.95, "ground.filter1")).toBeNull();
  const found = watched.at(2.05, "ground.filter1");
  expect(found?.binHertz).toBeCloseTo(5.86);
  expect(found?.sides.map((side) => [...side])).toEqual([
    [-128, -78],
    [-118, -0.5],
  ]);
  expect(watched.at(2.12, "ground.filter1")?.sides[0]?.[0]).toBe(-127);
  expect(watched.at(2.9, "ground.filter1")).toBeNull();
  expect(watched.at(2.05, "ground.filter2")).toBeNull();
});

test("only the newest wait", () => {
  const watched = new WatchedSpectrum();
  for (let i = 0; i < 200; i++) watched.take(header(i * 0.04), new Uint8Array(2));
  expect(watched.at(0.05, "ground.filter1")).toBeNull();
  expect(watched.at(7.98, "ground.filter1")).not.toBeNull();
  watched.clear();
  expect(watched.at(7.98, "ground.filter1")).toBeNull();
});
