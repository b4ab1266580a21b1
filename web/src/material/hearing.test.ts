import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

class FakeNode {
  static made: FakeNode[] = [];
  buffer: unknown = null;
  loop = false;
  loopStart = 0;
  loopEnd = 0;
  started: [number, number] | null = null;
  stopped = false;
  onended: (() => void) | null = null;
  constructor() {
    FakeNode.made.push(this);
  }
  connect() {}
  start(when: number, from: number) {
    this.started = [when, from];
  }
  stop() {
    this.stopped = true;
  }
}

class FakeContext {
  destination = {};
  async resume() {}
  async decodeAudioData(data: ArrayBuffer) {
    return data;
  }
  createBufferSource() {
    return new FakeNode();
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
    expect(newest().started).toEqual([0, 1.5]);
    expect(hearing.useHearing.getState().what).toBe("wire");
    newest().onended?.();
    expect(hearing.useHearing.getState().what).toBeNull();
  });

  it("hears one thing at a time", async () => {
    await hearing.hear("wire", audio);
    const first = newest();
    await hearing.hear("glass", audio);
    expect(first.stopped).toBe(true);
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

  it("repeats a loop, whose ends can be moved while it sounds", async () => {
    await hearing.hear("wire", audio, { start: 0.5, end: 2 }, 0.5);
    expect(newest()).toMatchObject({ loop: true, loopStart: 0.5, loopEnd: 2 });
    hearing.moveLoop(0.6, 1.9);
    expect(newest()).toMatchObject({ loopStart: 0.6, loopEnd: 1.9 });
    await hearing.hear("glass", audio);
    hearing.moveLoop(1, 2);
    expect(newest()).toMatchObject({ loop: false, loopStart: 0 });
  });
});
