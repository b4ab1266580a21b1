import type { Schemas } from "../api/client";

/** Binary messages of the stage, called packets: uint32 kind, uint32 header length, JSON header, data. */

export const AUDIO = 1;
export const TILE = 2;
export const CLOSER = 3;

export type AudioHeader = Schemas["AudioHeader"];
export type TileHeader = Schemas["TileHeader"];
export type CloserHeader = Schemas["CloserHeader"];

export interface Packet {
  kind: number;
  header: unknown;
  data: ArrayBuffer;
}

export function readPacket(buffer: ArrayBuffer): Packet {
  const view = new DataView(buffer);
  const kind = view.getUint32(0, true);
  const length = view.getUint32(4, true);
  const text = new TextDecoder().decode(new Uint8Array(buffer, 8, length));
  return { kind, header: JSON.parse(text), data: buffer.slice(8 + length) };
}
