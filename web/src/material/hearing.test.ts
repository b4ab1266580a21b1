import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

class FakeNode {
  static made: FakeNode[] = [];
  buffer: unknown = null;
  loop = false;
  loopStart = 0;
  loopEnd = 0;
  started: [number, number] | null = null;
  stopped: number | null = null;
  onended: (() => void) | null = null;
  constructor() {
    FakeNode.made.push(this);
  }
  connect(to: unknown) {
    return to;
  }
  start(when: number, from: number) {
    this.started = [when, from];
  }
  stop(when: number) {
    this.stopped = when;
  }
}

class FakeContext {
  destination = {};
  currentTime = 7;
  async resume() {}
  async decodeAudioData(data: ArrayBuffer) {
    if (data.byteLength === 0) throw new Error("not audio");
    return data;
  }
  createBufferSource() {
    return new FakeNode();
  }
  createGain() {
    const ramp = { setValueAtTime() {}, linearRampToValueAtTime() {} };
    return { gain: ramp, connect: (to: unknown) => to };
  }
}

type Hearing = typeof import("./hearing");
let hearing: Hearing;
const audio = async () => new ArrayBuffer(4);
const newest = () => FakeNode.made.at(-1) as FakeNode;

beforeEach(async () => {
  FakeNode.made = [];
  vi.resetModules();
  vi.stubGlobal("AudioContext", FakeContext);
  hearing = await import("./hearing");
});
afterEach(() => vi.unstubAllGlobals());

describe("hearing material", () => {
  it("plays from where it is told to, and says what is heard", async () => {
    await hearing.hear("wire", audio, null, 1.5);
    expect(newest().started).toEqual([7, 1.5]);
    expect(hearing.useHearing.getState().what).toBe("wire");
    newest().onended?.();
    expect(hearing.useHearing.getState().what).toBeNull();
  });

  it("hears one thing at a time", async () => {
    await hearing.hear("wire", audio);
    const first = newest();
    await hearing.hear("glass", audio);
    expect(first.stopped).toBeGreaterThan(7);
    // The end of what was replaced does not end what is heard now.
    first.onended?.();
    expect(hearing.useHearing.getState().what).toBe("glass");
  });

  it("does not begin what was hushed while it was loading", async () => {
    let arrive: (data: ArrayBuffer) => void = () => undefined;
    const slow = new Promise<ArrayBuffer>((resolve) => {
      arrive = resolve;
    });
    const heard = hearing.hear("wire", () => slow);
    await vi.waitFor(() => expect(hearing.useHearing.getState().what).toBe("wire"));
    hearing.hush();
    arrive(new ArrayBuffer(4));
    await heard;
    expect(FakeNode.made).toHaveLength(0);
  });

  it("repeats a loop, and plays it on until a nudged one takes over", async () => {
    await hearing.hear("loop", audio, { start: 0.5, end: 2 }, 0);
    const first = newest();
    expect(first).toMatchObject({ loop: true, loopStart: 0.5, loopEnd: 2 });
    let arrive: (data: ArrayBuffer) => void = () => undefined;
    const slow = new Promise<ArrayBuffer>((resolve) => {
      arrive = resolve;
    });
    const nudged = hearing.hear("loop", () => slow, { start: 0.5, end: 1.9 }, 1.3);
    expect(first.stopped).toBeNull();
    arrive(new ArrayBuffer(4));
    await nudged;
    expect(first.stopped).toBeGreaterThan(7);
    expect(newest()).toMatchObject({ loopEnd: 1.9, started: [7, 1.3] });
    expect(hearing.useHearing.getState().what).toBe("loop");
  });

  it("says that nothing is heard when the audio cannot be had", async () => {
    await expect(hearing.hear("wire", async () => new ArrayBuffer(0))).rejects.toThrow("not audio");
    expect(hearing.useHearing.getState().what).toBeNull();
  });
});
