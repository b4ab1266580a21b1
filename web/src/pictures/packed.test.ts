import { describe, expect, it } from "vitest";
import { cell, hertz, isPacked, unpacked } from "./packed";

const packed = (values: Int8Array | Uint16Array, type: string, shape: number[]) => ({
  shape,
  type,
  data: btoa(String.fromCharCode(...new Uint8Array(values.buffer))),
});

describe("packed arrays", () => {
  it("are grids of rows and columns", () => {
    const grid = unpacked(packed(new Int8Array([1, -2, 3, 4, 5, 6]), "int8", [2, 3]));
    expect([grid.rows, grid.columns]).toEqual([2, 3]);
    expect(cell(grid, 0, 1)).toBe(-2);
    expect(cell(grid, 1, 2)).toBe(6);
    expect(cell(grid, 5, 5)).toBe(0);
  });

  it("of one axis are one row", () => {
    const grid = unpacked(packed(new Uint16Array([2048, 12000]), "uint16", [2]));
    expect([grid.rows, grid.columns]).toEqual([1, 2]);
    expect(hertz(cell(grid, 0, 0))).toBe(16);
  });

  it("are told from other values, and unknown types are refused", () => {
    expect(isPacked({ low: 3 })).toBe(false);
    expect(() => unpacked({ shape: [1], type: "int64", data: "" })).toThrow("int64");
  });
});
