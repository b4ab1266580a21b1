import { beforeAll, beforeEach, describe, expect, it, vi } from "vitest";

const RATE = 48_000;
/** The frames that browsers ask a worklet for at a time (Web Audio, section "Rendering"). */
const QUANTUM = 128;

interface Port {
  onmessage: ((event: { data: unknown }) => void) | null;
  postMessage: ReturnType<typeof vi.fn>;
}
const port = (): Port => ({ onmessage: null, postMessage: vi.fn() });

interface Ring {
  port: Port;
  process: (inputs: Float32Array[][], outputs: Float32Array[][]) => boolean;
}

let Made: new () => Ring;
let ring: Ring;
let connection: Port;

beforeAll(async () => {
  vi.stubGlobal(
    "AudioWorkletProcessor",
    class {
      port = port();
    },
  );
  vi.stubGlobal("sampleRate", RATE);
  vi.stubGlobal("registerProcessor", (_: string, processor: new () => Ring) => {
    Made = processor;
  });
  await import("./ring-worklet");
});

beforeEach(() => {
  ring = new Made();
  connection = port();
  ring.port.onmessage?.({ data: { type: "connect", port: connection } });
});

/** Frames of the stream that were sent. */
let sent = 0;

function begin(stream: number, at = 0) {
  sent = 0;
  connection.onmessage?.({ data: { type: "begin", stream, at } });
}
const end = (stream: number) => connection.onmessage?.({ data: { type: "end", stream } });

/** Send frames of which left is `value` and right its opposite. */
function send(stream: number, frames: number, value: number, at = 0, panics = 0, from?: number) {
  const frame = from ?? sent;
  sent = frame + frames;
  const samples = new Float32Array(2 * frames);
  for (let i = 0; i < frames; i++) {
    samples[2 * i] = value;
    samples[2 * i + 1] = -value;
  }
  connection.onmessage?.({ data: { type: "samples", stream, frame, at, panics, samples } });
}

function play(quanta: number): { left: number[]; right: number[] } {
  const left: number[] = [];
  const right: number[] = [];
  for (let i = 0; i < quanta; i++) {
    const out = [new Float32Array(QUANTUM), new Float32Array(QUANTUM)] as const;
    ring.process([], [[...out]]);
    left.push(...out[0]);
    right.push(...out[1]);
  }
  return { left, right };
}

const reports = () =>
  ring.port.postMessage.mock.calls.map(([m]) => m).filter((m) => m.type === "heard");

describe("the ring", () => {
  it("waits for a first stock before it plays", () => {
    begin(1);
    send(1, 2048, 0.5);
    expect(play(4).left.every((x) => x === 0)).toBe(true);
    send(1, 2048, 0.5);
    const heard = play(4);
    expect(heard.left.every((x) => x === 0.5)).toBe(true);
    expect(heard.right.every((x) => x === -0.5)).toBe(true);
  });

  it("falls to silence at an underrun, counts it, and goes on with the next stock", () => {
    begin(1);
    send(1, 4096, 0.5);
    play(32);
    const dry = play(8).left;
    expect(dry[0]).toBeCloseTo(0.5 * 0.97);
    for (let i = 1; i < dry.length; i++) expect(dry[i]).toBeLessThan(dry[i - 1] ?? 1);
    expect(dry.at(-1)).toBeLessThan(1e-4);
    send(1, 4096, 0.25);
    const again = play(8).left;
    for (let i = 0; i < 256; i++) expect(again[i]).toBeCloseTo((0.25 * (i + 1)) / 256, 6);
    expect(again.slice(256).every((x) => x === 0.25)).toBe(true);
    expect(reports().at(-1)?.underruns).toBe(1);
  });

  it("rises from silence where a sound begins in its midst", () => {
    begin(1, 60);
    send(1, 4096, 0.5, 60);
    const heard = play(4).left;
    for (let i = 0; i < 256; i++) expect(heard[i]).toBeCloseTo((0.5 * (i + 1)) / 256, 6);
    expect(heard[256]).toBe(0.5);
  });

  it("does not call an end an underrun", () => {
    begin(1);
    send(1, 4096, 0.5);
    end(1);
    play(40);
    begin(2);
    send(2, 4096, 0.5);
    play(32);
    expect(reports().at(-1)?.underruns).toBe(0);
  });

  it("goes on without a gap when the next stock comes at the last moment", () => {
    begin(1);
    for (let i = 0; i < 5; i++) {
      send(1, 4096, 0.5);
      expect(play(32).left.every((x) => x === 0.5)).toBe(true);
    }
    expect(reports().at(-1)?.underruns).toBe(0);
  });

  it("ignores samples of a stream that is over", () => {
    begin(1);
    begin(2);
    send(1, 4096, 0.9);
    expect(play(8).left.every((x) => x === 0)).toBe(true);
    send(2, 4096, 0.1, 0, 0, 0);
    expect(play(1).left[0]).toBeCloseTo(0.1);
  });

  it("tells the connection and the page what was heard, and from where in the score", () => {
    begin(5, 180);
    send(5, 2048, 0.5, 180);
    send(5, 2048, 0.5, 60);
    play(16);
    expect(connection.postMessage.mock.calls.map(([m]) => m)).toEqual([
      { type: "heard", stream: 5, frames: 1024 },
      { type: "heard", stream: 5, frames: 2048 },
    ]);
    expect(reports().map((r) => r.position)).toEqual([180 + 1024 / RATE, 60]);
    play(8);
    expect(reports().at(-1)?.position).toBeCloseTo(60 + 1024 / RATE);
  });

  it("plays nothing after a panic that was made before the server knew of it", () => {
    const panic = () => ring.port.onmessage?.({ data: { type: "panic" } });
    begin(1);
    send(1, 8192, 0.5);
    play(1);
    panic();
    expect(play(8).left.at(-1)).toBeLessThan(1e-4);
    send(1, 8192, 0.5);
    expect(Math.max(...play(32).left)).toBeLessThan(1e-4);
    panic();
    send(1, 8192, 0.5, 0, 1);
    expect(Math.max(...play(32).left)).toBeLessThan(1e-4);
    send(1, 4096, 0.25, 0, 2);
    expect(play(32).left.at(-1)).toBe(0.25);
    // It goes on where the server did, and nothing of it counts as running dry.
    expect(reports().at(-1)).toMatchObject({ frames: 8192 * 3 + 4096, underruns: 0 });
    begin(2);
    send(2, 4096, 0.5);
    expect(play(1).left[0]).toBe(0.5);
  });

  it("goes on after a panic where the server does, before what it had sent", () => {
    begin(1, 7);
    send(1, 60_000, 0.5, 7);
    play(16);
    ring.port.onmessage?.({ data: { type: "panic" } });
    play(4);
    send(1, 4096, 0.25, 7.1, 1, 5000);
    expect(play(32).left.at(-1)).toBe(0.25);
    expect(reports().at(-1)).toMatchObject({ frames: 5000 + 4096, underruns: 0 });
    expect(reports().at(-1)?.position).toBeCloseTo(7.1 + 4096 / RATE);
  });

  it("replaces what waits from a frame on, without a fade where it comes in time", () => {
    begin(1, 60);
    send(1, 48_000, 0.5, 60);
    play(20);
    send(1, 8192, 0.25, 90, 0, 5000);
    const heard = play(50).left;
    const at = 5000 - 20 * QUANTUM;
    expect(heard[at - 1]).toBe(0.5);
    expect(heard[at]).toBe(0.25);
    expect(reports().at(-1)?.position).toBeCloseTo(90 + (70 * QUANTUM - 5000) / RATE, 1);
    // More comes before it is needed: nothing of what was replaced is heard again.
    send(1, 60_000, 0.25, 90.2);
    expect(play(300).left.every((x) => x === 0.25)).toBe(true);
  });

  it("goes over to what was replaced while nothing else comes, and back, without a step", () => {
    begin(1);
    send(1, 48_000, 0.5);
    play(20);
    send(1, 8192, 0.25, 0, 0, 5000);
    const heard = play(150).left;
    const until = 13_192 - 20 * QUANTUM;
    expect(heard[until - 481]).toBe(0.25);
    expect(heard[until - 240]).toBeCloseTo(0.375, 2);
    expect(heard[until]).toBe(0.5);
    send(1, 48_000, 0.25);
    heard.push(...play(150).left);
    expect(heard.at(-1)).toBe(0.25);
    for (let i = 5000 - 20 * QUANTUM + 1; i < heard.length; i++) {
      expect(Math.abs((heard[i] ?? 0) - (heard[i - 1] ?? 0))).toBeLessThan(0.001);
    }
    expect(reports().at(-1)?.underruns).toBe(0);
  });

  it("ends where it ends, whatever had come beyond", () => {
    begin(1);
    send(1, 48_000, 0.5);
    play(20);
    send(1, 8192, 0.25, 0, 0, 5000);
    end(1);
    expect(play(100).left.at(-1)).toBeLessThan(1e-4);
    expect(reports().at(-1)?.underruns).toBe(0);
  });

  it("takes over in 10 ms what comes too late for its place", () => {
    begin(1);
    send(1, 48_000, 0.5);
    play(50);
    send(1, 8192, 0.25, 0, 0, 5000);
    const heard = play(10).left;
    expect(heard[0]).toBeCloseTo(0.5 - 0.25 / 480);
    for (let i = 1; i < 480; i++) {
      expect((heard[i - 1] ?? 0) - (heard[i] ?? 0)).toBeCloseTo(0.25 / 480, 6);
    }
    expect(heard[480]).toBe(0.25);
  });

  it("plays on what there is while all that comes is too late", () => {
    begin(1);
    send(1, 48_000, 0.5);
    play(100);
    send(1, 2048, 0.25, 0, 0, 5000);
    send(1, 2048, 0.25);
    expect(play(10).left.every((x) => x === 0.5)).toBe(true);
    send(1, 8192, 0.25);
    expect(play(10).left.at(-1)).toBe(0.25);
    expect(reports().at(-1)?.underruns).toBe(0);
  });

  it("holds two seconds and a stretch more", () => {
    begin(1);
    for (let i = 0; i < 6; i++) send(1, 16_384, 0.1 * (i + 1));
    play(8);
    send(1, 16_384, 0.9);
    expect(play(1).left[0]).toBeCloseTo(0.1);
  });

  it("keeps the last samples that were played, oldest first", () => {
    begin(1);
    send(1, 4096, 0.5);
    play(32);
    ring.port.onmessage?.({ data: { type: "capture" } });
    const { samples } = ring.port.postMessage.mock.calls
      .map(([m]) => m)
      .find((m) => m.type === "captured");
    expect(samples).toHaveLength(2 * 32_768);
    expect(samples[0]).toBe(0);
    expect([...samples.slice(-2)]).toEqual([0.5, -0.5]);
    expect(samples.filter((x: number) => x === 0.5)).toHaveLength(4096);
  });

  it("follows the peak and lets it go slowly", () => {
    begin(1);
    send(1, 2048, 0.8);
    send(1, 8192, 0.01);
    play(24);
    expect(reports().at(-1)?.peak).toBeGreaterThan(0.7);
    play(48);
    const last = reports().at(-1)?.peak;
    expect(last).toBeLessThan(0.7);
    expect(last).toBeGreaterThan(0.01);
  });

  it("survives more samples than it has room for without mixing streams", () => {
    begin(1);
    for (let i = 0; i < 40; i++) {
      send(1, 4096, 0.001 * i);
      play(32);
    }
    expect(play(1).left[0]).toBeLessThan(0.04);
    expect(reports().at(-1)?.frames).toBe(40 * 4096);
  });
});
