import { beforeEach, describe, expect, it, vi } from "vitest";
import { AUDIO, TILE } from "./packets";

class FakeSocket {
  static readonly OPEN = 1;
  static made: FakeSocket[] = [];
  readyState = 1;
  binaryType = "";
  sent: string[] = [];
  onopen: (() => void) | null = null;
  onclose: ((event: { code: number }) => void) | null = null;
  onmessage: ((event: { data: unknown }) => void) | null = null;
  constructor(readonly url: string) {
    FakeSocket.made.push(this);
  }
  send(text: string) {
    this.sent.push(text);
  }
  close() {
    this.readyState = 3;
    this.onclose?.({ code: 1000 });
  }
}

const posted: Record<string, unknown>[] = [];
const page = {
  postMessage: (message: Record<string, unknown>) => posted.push(message),
  onmessage: null as ((event: { data: unknown }) => void) | null,
};
const tell = (data: unknown) => page.onmessage?.({ data });
const newest = () => FakeSocket.made.at(-1) as FakeSocket;

function frame(kind: number, header: object, data: Float32Array): ArrayBuffer {
  const text = new TextEncoder().encode(JSON.stringify(header).padEnd(64));
  const buffer = new ArrayBuffer(8 + text.length + data.byteLength);
  const view = new DataView(buffer);
  view.setUint32(0, kind, true);
  view.setUint32(4, text.length, true);
  new Uint8Array(buffer, 8).set(text);
  new Uint8Array(buffer, 8 + text.length).set(new Uint8Array(data.buffer));
  return buffer;
}

beforeEach(async () => {
  posted.length = 0;
  FakeSocket.made = [];
  vi.resetModules();
  vi.stubGlobal("WebSocket", FakeSocket);
  vi.stubGlobal("self", page);
  await import("./connection-worker");
  tell({ type: "open", url: "ws://here/ws/sounds/1" });
});

describe("the connection", () => {
  it("opens the socket it is told to and says so", () => {
    expect(newest().url).toBe("ws://here/ws/sounds/1");
    expect(newest().binaryType).toBe("arraybuffer");
    newest().onopen?.();
    expect(posted).toEqual([{ type: "opened" }]);
  });

  it("passes messages on to the page", () => {
    newest().onmessage?.({ data: JSON.stringify({ type: "summary", range: 3 }) });
    expect(posted).toEqual([{ type: "message", message: { type: "summary", range: 3 } }]);
  });

  it("sends samples straight to the audio, not to the page", () => {
    const audio = { postMessage: vi.fn(), onmessage: null };
    tell({ type: "audio", port: audio });
    newest().onmessage?.({
      data: JSON.stringify({ type: "listening", stream: 4, from: 12 }),
    });
    newest().onmessage?.({
      data: frame(AUDIO, { stream: 4, at: 12 }, new Float32Array([0.5, -0.5])),
    });
    newest().onmessage?.({ data: JSON.stringify({ type: "stopped", stream: 4 }) });
    const heard = audio.postMessage.mock.calls.map(([message]) => message);
    expect(heard.map((m) => m.type)).toEqual(["begin", "samples", "end"]);
    expect(heard[1].samples).toEqual(new Float32Array([0.5, -0.5]));
    expect(posted.every((message) => message.type === "message")).toBe(true);
  });

  it("reports what was heard to the server", () => {
    const audio = { postMessage: vi.fn(), onmessage: null as ((e: object) => void) | null };
    tell({ type: "audio", port: audio });
    audio.onmessage?.({ data: { type: "heard", stream: 4, frames: 1024 } });
    expect(newest().sent).toEqual(['{"type":"heard","stream":4,"frames":1024}']);
  });

  it("gives tiles to the page with their bytes", () => {
    newest().onmessage?.({ data: frame(TILE, { first: 3 }, new Float32Array([1])) });
    expect(posted[0]).toMatchObject({ type: "tile", header: { first: 3 } });
    expect(new Float32Array(posted[0]?.data as ArrayBuffer)).toEqual(new Float32Array([1]));
  });

  it("says when it is lost, with the reason's number", () => {
    newest().onclose?.({ code: 4404 });
    expect(posted).toEqual([{ type: "closed", code: 4404 }]);
  });

  it("hears nothing more of a socket that another has followed", () => {
    const before = newest();
    tell({ type: "open", url: "ws://here/ws/sounds/2" });
    before.onmessage?.({ data: JSON.stringify({ type: "summary" }) });
    before.onclose?.({ code: 1006 });
    expect(posted).toEqual([]);
    newest().onmessage?.({ data: JSON.stringify({ type: "summary" }) });
    expect(posted).toHaveLength(1);
  });

  it("sends nothing while the socket is closed", () => {
    newest().readyState = 0;
    tell({ type: "send", text: "lost" });
    newest().readyState = 1;
    tell({ type: "send", text: "kept" });
    expect(newest().sent).toEqual(["kept"]);
  });

  it("asks whether the server is there, and gives up one that hangs", async () => {
    vi.useFakeTimers();
    try {
      vi.resetModules();
      await import("./connection-worker");
      tell({ type: "open", url: "ws://here/ws/sounds/1" });
      const socket = newest();
      const pong = () => socket.onmessage?.({ data: JSON.stringify({ type: "pong" }) });
      for (let i = 0; i < 5; i++) {
        vi.advanceTimersByTime(4000);
        pong();
      }
      expect(socket.sent.filter((text) => text.includes("ping"))).toHaveLength(5);
      expect(posted).toEqual([]);
      vi.advanceTimersByTime(16_000);
      expect(socket.readyState).toBe(3);
      expect(posted).toEqual([{ type: "closed", code: 4008 }]);
    } finally {
      vi.useRealTimers();
    }
  });
});
