import { expect, it, vi } from "vitest";

vi.mock("../live/socket", () => ({ useLive: () => "" }));
const { shifted, toggled } = await import("./layout");
const { ordered } = await import("./rows");
type SheetRow = import("./rows").SheetRow;

const row = (address: string, ...movers: string[]) => ({ address, movers }) as unknown as SheetRow;
const rows = [row("a", "m2"), row("b", "m1"), row("c", "m2"), row("d", "m1")];
const names = (found: SheetRow[]) => found.map((r) => r.address).join("");

it("puts pinned rows first, and last what could move and rests", () => {
  const plain = { pinned: [], byModulator: false };
  expect(names(ordered(rows, plain, ["m1", "m2"]))).toBe("abcd");
  expect(names(ordered(rows, plain, ["m1", "m2"], ["a"]))).toBe("bcda");
  expect(names(ordered(rows, { ...plain, pinned: ["d", "a"] }, [], ["a"]))).toBe("dabc");
});

it("puts rows together by what moves them", () => {
  expect(names(ordered(rows, { pinned: ["c"], byModulator: true }, ["m1", "m2"]))).toBe("cbda");
});

it("keeps lists of rows", () => {
  expect(toggled(["a"], "b")).toEqual(["a", "b"]);
  expect(toggled(["a", "b"], "a")).toEqual(["b"]);
  expect(shifted(["a", "b", "c"], "c", -1)).toEqual(["a", "c", "b"]);
  expect(shifted(["a", "b"], "a", -1)).toEqual(["a", "b"]);
});
