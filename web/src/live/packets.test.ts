import { describe, expect, it } from "vitest";
import { AUDIO, keptTrajectories, readPacket, readTrajectories } from "./packets";

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

describe("trajectories that follow others", () => {
  const header = {
    points: 2,
    start: 0,
    end: 60,
    modulators: ["lfo"],
    parameters: ["a.x", "a.y"],
    spread: ["a.y"],
    depths: { r: 1 },
    two_sided: ["lfo"],
  } as unknown as Parameters<typeof readTrajectories>[0];
  const trajectories = (changed: number, end = 60) => {
    const lines = [0, 1, 0, 1, 0, 1, 5, 6, 5, 6, 5, 6, 7, 8, 7, 8, 7, changed, Number.NaN, 1, 2, 3];
    return readTrajectories({ ...header, end }, new Float32Array(lines).buffer);
  };

  it("keep what is the same, also where nothing sounds", () => {
    const before = trajectories(8);
    const after = keptTrajectories(before, trajectories(9));
    expect(after.modulators.lfo).toBe(before.modulators.lfo);
    expect(after.parameters["a.x"]).toBe(before.parameters["a.x"]);
    expect(after.spread["a.y"]).toBe(before.spread["a.y"]);
    expect(after.parameters["a.y"]).not.toBe(before.parameters["a.y"]);
    expect(after.parameters["a.y"]?.high[1]).toBe(9);
  });

  it("keep nothing along another time axis", () => {
    const before = trajectories(8);
    expect(keptTrajectories(before, trajectories(8, 61)).modulators.lfo).not.toBe(
      before.modulators.lfo,
    );
  });
});
