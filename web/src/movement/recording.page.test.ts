import { expect, it, vi } from "vitest";

vi.mock("../live/socket", async () => {
  const { create } = await import("zustand");
  return { useLive: create(() => ({ playing: true })) };
});
const at = { now: 0 };
vi.mock("../live/audio", () => ({ player: { position: () => at.now } }));

const { useSession } = await import("../session/store");
const { joined, startRecording, stopRecording, useRecording } = await import("./recording");

const point = (time: number, value: number) => ({ time, value, bend: 0 });

it("puts what was taken down in place of what was drawn there", () => {
  const before = [point(0, 10), point(5, 20), point(20, 30)];
  expect(joined(before, [point(4, 1), point(8, 2)])).toEqual([
    point(0, 10),
    point(4, 1),
    point(8, 2),
    point(20, 30),
  ]);
  expect(joined(before, [])).toBe(before);
});

it("takes down a macro's moves as a lane, resting until they begin", () => {
  const macro = (value: number) => ({
    score: { tempo: [] },
    sound: {
      modulators: [{ id: "k", params: { value } }],
      lanes: [],
      routes: [],
      layers: [],
      buses: [],
    },
  });
  useSession.setState(macro(20) as never);
  at.now = 1;
  startRecording("k");
  expect(useRecording.getState().modulator).toBe("k");
  at.now = 3;
  useSession.setState(macro(60) as never);
  at.now = 4;
  useSession.setState(macro(90) as never);
  stopRecording();
  const lane = useSession.getState().sound?.lanes[0];
  expect(lane?.to).toBe("k.value");
  expect(lane?.points).toEqual([
    point(1, 20),
    point(2.95, 20),
    point(3, 60),
    point(3.95, 60),
    point(4, 90),
  ]);
});
