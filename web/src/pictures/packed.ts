/** Arrays as the server packs them: a shape, a type, and bytes in base 64. */

export interface Packed {
  shape: number[];
  type: string;
  data: string;
}

type Numbers = Uint8Array | Int8Array | Uint16Array | Float32Array;

export interface Grid {
  rows: number;
  columns: number;
  values: Numbers;
}

const KINDS: Record<string, (buffer: ArrayBuffer) => Numbers> = {
  uint8: (buffer) => new Uint8Array(buffer),
  int8: (buffer) => new Int8Array(buffer),
  uint16: (buffer) => new Uint16Array(buffer),
  float32: (buffer) => new Float32Array(buffer),
};

export function isPacked(value: unknown): value is Packed {
  return typeof value === "object" && value !== null && "data" in value && "shape" in value;
}

/** A packed array as a grid; one of a single axis is a grid of one row. */
export function unpacked(packed: Packed): Grid {
  const text = atob(packed.data);
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i);
  const make = KINDS[packed.type];
  if (!make) throw new Error(`arrays of ${packed.type} are not known`);
  const [rows = 0, columns] = packed.shape;
  return columns === undefined
    ? { rows: 1, columns: rows, values: make(bytes.buffer) }
    : { rows, columns, values: make(bytes.buffer) };
}

export function cell(grid: Grid, row: number, column: number): number {
  return grid.values[row * grid.columns + column] ?? 0;
}

/** A frequency from steps of 1/2048 octave over 8 Hz. */
export function hertz(steps: number): number {
  return 8 * 2 ** (steps / 2048);
}
