import { beforeEach, describe, expect, it, test, vi } from "vitest";

const player = vi.hoisted(() => ({ at: 0, position: () => player.at }));
vi.mock("../live/audio", () => ({ player }));

type Playhead = typeof import("./playhead");
let playhead: Playhead;

beforeEach(async () => {
  vi.resetModules();
  vi.useFakeTimers();
  player.at = 0;
  playhead = await import("./playhead");
});

test("the playhead is told of by tenths of a second, or by pixels where those are finer", () => {
  expect(playhead.smallestMove(240)).toBe(0.1);
  expect(playhead.smallestMove(1800)).toBe(0.1);
  expect(playhead.smallestMove(12)).toBeCloseTo(0.01);
});

describe("those who draw the playhead", () => {
  const move = (to: number) => {
    player.at = to;
    vi.advanceTimersByTime(60);
  };

  it("are told where it is, at once and as it moves", () => {
    const calls: number[] = [];
    playhead.followPlayhead(240);
    playhead.onPlayhead((seconds) => calls.push(seconds));
    for (const at of [0.05, 0.1, 0.12, 0.2, 0.3]) move(at);
    // From where it began, each tenth; what lies between is not worth painting.
    expect(calls).toEqual([0, 0.05, 0.2, 0.3]);
  });

  it("are told seldom if they ask for that, but of a jump at once", () => {
    const calls: number[] = [];
    playhead.followPlayhead(240);
    move(0);
    playhead.onPlayhead((seconds) => calls.push(seconds), playhead.SELDOM);
    for (let i = 1; i <= 8; i++) move(i * 0.1);
    expect(calls.length).toBeGreaterThanOrEqual(2);
    expect(calls.length).toBeLessThanOrEqual(4);
    move(90);
    expect(calls.at(-1)).toBe(90);
  });

  it("are told nothing any more once they have gone", () => {
    const calls: number[] = [];
    playhead.followPlayhead(240);
    const leave = playhead.onPlayhead((seconds) => calls.push(seconds));
    leave();
    move(30);
    expect(calls).toEqual([0]);
  });
});
