import { describe, expect, it } from "vitest";
import { AUDIO, readPacket } from "./packets";

function made(kind: number, header: object, data: number[]): ArrayBuffer {
  let text = JSON.stringify(header);
  while (text.length % 4) text += " ";
  const buffer = new ArrayBuffer(8 + text.length + data.length * 4);
  const view = new DataView(buffer);
  view.setUint32(0, kind, true);
  view.setUint32(4, text.length, true);
  new Uint8Array(buffer, 8).set(new TextEncoder().encode(text));
  for (const [i, value] of data.entries()) view.setFloat32(8 + text.length + 4 * i, value, true);
  return buffer;
}

describe("frames", () => {
  it("hold a kind, a header and data", () => {
    const packet = readPacket(made(AUDIO, { stream: 3, at: 1.5 }, [0.25, -0.5]));
    expect(packet.kind).toBe(AUDIO);
    expect(packet.header).toEqual({ stream: 3, at: 1.5 });
    expect([...new Float32Array(packet.data)]).toEqual([0.25, -0.5]);
  });
});
