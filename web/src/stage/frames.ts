/** Binary frames of the stage: uint32 kind, uint32 header length, JSON header, data. */

export const AUDIO = 1;
export const TILE = 2;

export interface AudioHeader {
  stream: number;
  at: number;
}

export interface TileHeader {
  revision: number;
  first: number;
  span: number;
  fine: boolean;
  columns: number;
  rows: number;
  total: number;
  low: number;
  high: number;
  floor: number;
  loudness: (number | null)[];
  width: (number | null)[];
}

export interface Frame {
  kind: number;
  header: unknown;
  data: ArrayBuffer;
}

export function readFrame(buffer: ArrayBuffer): Frame {
  const view = new DataView(buffer);
  const kind = view.getUint32(0, true);
  const length = view.getUint32(4, true);
  const text = new TextDecoder().decode(new Uint8Array(buffer, 8, length));
  return { kind, header: JSON.parse(text), data: buffer.slice(8 + length) };
}
