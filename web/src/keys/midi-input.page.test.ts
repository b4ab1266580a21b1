import { expect, it, vi } from "vitest";

const calls: string[] = [];
vi.mock("../live/socket", () => ({
  press: (key: number, velocity: number) => calls.push(`press ${key} ${velocity}`),
  lift: (key: number) => calls.push(`lift ${key}`),
}));
const { useSession } = await import("../session/store");
const { listenToMidi, readMidi, take } = await import("./midi-input");

it("reads messages as MIDI 1.0 has them, on any channel", () => {
  expect(readMidi([0x93, 60, 100])).toEqual({ kind: 0x90, a: 60, b: 100 });
  expect(readMidi([0x93, 60, 0])).toEqual({ kind: 0x80, a: 60, b: 0 });
});

it("plays keys and moves the macros that listen to a controller", () => {
  const macro = (controller: number) => ({
    id: "k",
    kind: "macro",
    params: { value: 0, controller },
  });
  useSession.setState({
    score: { tempo: [] },
    sound: { modulators: [macro(21), macro(-1)] },
  } as never);
  const down: string[] = [];
  const tell = (key: number, on: boolean) => down.push(`${key} ${on}`);
  take([0x90, 48, 90], tell);
  take([0x80, 48, 0], tell);
  take([0xb0, 21, 127], tell);
  expect(calls).toEqual(["press 48 90", "lift 48"]);
  expect(down).toEqual(["48 true", "48 false"]);
  expect(useSession.getState().sound?.modulators.map((m) => m.params.value)).toEqual([100, 0]);
});

it("says where there is no Web MIDI", async () => {
  const onInputs = vi.fn();
  await listenToMidi(() => undefined, onInputs);
  expect(onInputs).toHaveBeenCalledWith(null);
});
