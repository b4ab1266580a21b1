import { beforeEach, describe, expect, it, vi } from "vitest";

const posted: Record<string, unknown>[] = [];

class FakeWorker {
  static made: FakeWorker;
  onmessage: ((event: { data: unknown }) => void) | null = null;
  constructor() {
    FakeWorker.made = this;
  }
  postMessage(message: Record<string, unknown>) {
    posted.push(message);
  }
}

const player = vi.hoisted(() => ({
  at: 0,
  calls: [] as string[],
  onPort: () => undefined,
  stop: () => player.calls.push("stop"),
  panic: () => player.calls.push("panic"),
  setGain: () => undefined,
  begin: (stream: number, from: number) => player.calls.push(`begin ${stream} ${from}`),
  moveTo: (to: number) => {
    player.at = to;
  },
  position: () => player.at,
  ready: async () => undefined,
  sounding: async () => undefined,
}));
vi.mock("./audio", () => ({ player }));

const opened = {
  id: 9,
  revision: 5,
  score_revision: 1,
  document: { name: "A", layers: [], buses: [], modulators: [], routes: [] },
  score: { length: 10, notes: [], markers: [] },
  cue: { id: 3, number: "1m1", name: "Cue", sounds: [] },
  production: { id: 1, name: "Film" },
};
let asked: string[] = [];

type Socket = typeof import("./socket");
type Store = typeof import("../session/store");
let live: Socket;
let store: Store;
let notices: typeof import("../notices/notices");

const news = (message: object) => FakeWorker.made.onmessage?.({ data: message });
const say = (message: object) => news({ type: "message", message });
const sent = () => posted.filter((m) => m.type === "send").map((m) => JSON.parse(m.text as string));

beforeEach(async () => {
  posted.length = 0;
  player.calls = [];
  player.at = 0;
  asked = [];
  vi.resetModules();
  vi.stubGlobal("Worker", FakeWorker);
  vi.stubGlobal("caligo", { player });
  vi.stubGlobal("fetch", async (request: Request) => {
    asked.push(request.url);
    return new Response(JSON.stringify(opened), {
      headers: { "Content-Type": "application/json" },
    });
  });
  store = await import("../session/store");
  notices = await import("../notices/notices");
  live = await import("./socket");
  store.takeUp(opened as never);
  live.openLive(9);
  news({ type: "opened" });
  // What was changed while the connection was away is asked for at once.
  await vi.waitFor(() => expect(asked).toHaveLength(1));
  posted.length = 0;
  asked = [];
});

describe("the live socket", () => {
  it("says what to listen to, from where and in which loop", async () => {
    live.setLoop([2, 4]);
    await live.listen(2.5);
    expect(sent()).toEqual([{ type: "listen", from: 2.5, loop: [2, 4] }]);
    say({ type: "listening", stream: 3, from: 2.5 });
    expect(player.calls.at(-1)).toBe("begin 3 2.5");
    expect(live.useLive.getState().playing).toBe(true);
  });

  it("moves the playhead, and what plays along with it", () => {
    live.seek(3);
    expect(sent()).toEqual([]);
    say({ type: "listening", stream: 1, from: 3 });
    live.seek(7);
    expect(player.at).toBe(7);
    expect(sent()).toEqual([{ type: "seek", to: 7 }]);
  });

  it("begins to listen before a key is heard", async () => {
    await live.press(60, 90);
    expect(sent().map((m) => m.type)).toEqual(["listen", "press"]);
    live.lift(60);
    expect(sent().at(-1)).toEqual({ type: "lift", key: 60 });
  });

  it("is silent at once when it is told to panic or to stop", () => {
    live.panic();
    expect(player.calls).toContain("panic");
    expect(sent()).toEqual([{ type: "panic" }]);
    live.stop();
    expect(posted).toContainEqual({ type: "silence" });
    expect(live.useLive.getState().playing).toBe(false);
  });

  it("stops what runs through the score in leaps when it is told to panic", async () => {
    await live.skim(10);
    live.panic();
    expect(sent().at(-1)).toEqual({ type: "stop" });
    expect(player.calls).not.toContain("panic");
  });

  it("keeps trajectories, summaries, pictures and renders as they come", () => {
    const whole = { revision: 6, start: 0, end: 240, points: 2, readings: {}, quick: {} };
    const names = { modulators: ["m"], parameters: [], spread: ["a.fine"] };
    const returns = { whole: { seconds: 52, exact: "52", why: "" }, modulators: {}, soonest: null };
    const data = () => new Float32Array([1, 2, 0, 1, 2, 3, 4, Number.NaN, 5, 6]).buffer;
    news({ type: "trajectories", header: { ...whole, ...names, returns }, data: data() });
    // A stretch that nobody looks at any more is left aside.
    const stretch = { ...whole, ...names, start: 9, returns: null };
    news({ type: "trajectories", header: stretch, data: data() });
    say({ type: "picture", layer: "ground", source: "source", kind: "cycles", length: 10 });
    say({ type: "summary", integrated: -20, loudness: [-20] });
    say({ type: "render", id: 4, state: "running", progress: 0.5, message: "" });
    const state = live.useLive.getState();
    expect([...(state.trajectories.modulators.m?.low ?? [])]).toEqual([0, 1]);
    expect([...(state.trajectories.spread["a.fine"]?.[1] ?? [])]).toEqual([5, 6]);
    expect(state.returns?.whole.seconds).toBe(52);
    expect(state.closer).toBeNull();
    expect(state.pictures["ground.source"]?.kind).toBe("cycles");
    expect(state.summary?.integrated).toBe(-20);
    expect(state.renders[4]?.progress).toBe(0.5);
  });

  it("counts a summary for the stillness that it was drawn with, however late it comes", () => {
    const summary = {
      type: "summary",
      revision: store.knownRevision(),
      frozen: null,
      loudness: [],
    };
    live.holdStill(true);
    // Drawn while all moved, and under way as it was stopped.
    say({ ...summary, still: false, integrated: -20, true_peak: -12 });
    expect(live.useLive.getState().matched).toEqual({ by: 0, exact: false });
    say({ ...summary, still: true, integrated: -26, true_peak: -18 });
    const { by, exact } = live.useLive.getState().matched;
    expect([by, exact]).toEqual([6, true]);
    live.holdStill(false);
    expect(live.useLive.getState().matched.by).toBe(0);
  });

  it("shows a problem that the server tells of", () => {
    say({ type: "problem", text: "The disk is full." });
    expect(notices.useNotices.getState().notice?.text).toBe("The disk is full.");
  });

  it("loads what was changed elsewhere, and not what it knows", async () => {
    say({ type: "changed", revision: 6 });
    expect(asked).toEqual([]);
    say({ type: "changed", revision: 7 });
    await vi.waitFor(() => expect(asked).toHaveLength(1));
  });
});

describe("a lost connection", () => {
  it("is made again, holds still as before, and goes on where it was", async () => {
    vi.useFakeTimers();
    live.holdStill(true);
    say({ type: "listening", stream: 1, from: 0 });
    player.at = 42;
    news({ type: "closed", code: 1006 });
    expect(live.useLive.getState()).toMatchObject({ connected: false, playing: false });
    posted.length = 0;
    vi.advanceTimersByTime(600);
    expect(posted.map((m) => m.type)).toEqual(["open"]);
    vi.useRealTimers();
    news({ type: "opened" });
    await vi.waitFor(() => expect(sent()).toHaveLength(2));
    expect(sent()[0]).toEqual({ type: "still", still: true, at: null });
    expect(sent()[1]).toMatchObject({ type: "listen", from: 42 });
  });

  it("is told to who presses Listen meanwhile", async () => {
    news({ type: "closed", code: 1006 });
    await live.listen(0);
    expect(sent()).toEqual([]);
    expect(notices.useNotices.getState().notice?.text).toContain("is being restored");
    news({ type: "opened" });
    expect(notices.useNotices.getState().notice).toBeNull();
  });

  it("is made again less and less often, and says so where there are too many pages", () => {
    vi.useFakeTimers();
    let tries = 0;
    news({ type: "closed", code: 4429 });
    expect(notices.useNotices.getState().notice?.text).toContain("more pages");
    for (let i = 0; i < 60; i++) {
      posted.length = 0;
      vi.advanceTimersByTime(1000);
      if (posted.some((m) => m.type === "open")) {
        tries++;
        news({ type: "closed", code: 1006 });
      }
    }
    expect(tries).toBeGreaterThan(5);
    expect(tries).toBeLessThan(14);
    vi.useRealTimers();
  });

  it("is not made again to a sound that is gone, or to one that was left", () => {
    vi.useFakeTimers();
    news({ type: "closed", code: 4404 });
    expect(notices.useNotices.getState().notice?.text).toContain("no longer there");
    posted.length = 0;
    vi.advanceTimersByTime(2000);
    expect(posted).toEqual([]);
    live.openLive(10);
    live.closeLive();
    news({ type: "closed", code: 1006 });
    posted.length = 0;
    vi.advanceTimersByTime(2000);
    expect(posted.filter((m) => m.type === "open")).toEqual([]);
    vi.useRealTimers();
  });
});
