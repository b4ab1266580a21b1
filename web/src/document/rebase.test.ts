import { describe, expect, it } from "vitest";
import { applyOperations, type Operation } from "./patch";
import { rebased } from "./rebase";

const sound = (...ids: string[]) => ({
  name: "A",
  layers: ids.map((id) => ({ id, params: { level: 0, list: [1, 2] } as Record<string, unknown> })),
});
type Sound = ReturnType<typeof sound>;
const replace = (path: string, value: unknown): Operation => ({ op: "replace", path, value });

function onto(operations: Operation[], from: Sound, to: Sound): Sound | null {
  const found = rebased(operations, from, to);
  return found && applyOperations(to, found).document;
}

describe("edits brought onto another state", () => {
  it("leave what was changed there", () => {
    const theirs = { ...sound("a", "b"), name: "Theirs" };
    const both = onto([replace("/layers/0/params/level", -6)], sound("a", "b"), theirs);
    expect(both?.name).toBe("Theirs");
    expect(both?.layers[0]?.params.level).toBe(-6);
  });

  it("follow a part to where it stands now", () => {
    const both = onto([replace("/layers/0/params/level", -6)], sound("a", "b"), sound("c", "a"));
    expect(both?.layers.map((l) => l.params.level)).toEqual([0, -6]);
  });

  it("are lost with the part that they change", () => {
    expect(onto([replace("/layers/1/params/level", -6)], sound("a", "b"), sound("a"))).toBeNull();
    expect(onto([{ op: "remove", path: "/layers/1" }], sound("a", "b"), sound("a"))).toBeNull();
  });

  it("add what is new, but nothing twice", () => {
    const added: Operation = { op: "add", path: "/layers/2", value: { id: "n", params: {} } };
    expect(onto([added], sound("a", "b"), sound("a"))?.layers.map((l) => l.id)).toEqual(["a", "n"]);
    expect(onto([added], sound("a", "b"), sound("a", "b", "n"))).toBeNull();
    const next = [added, replace("/layers/2/id", "m")];
    expect(onto(next, sound("a", "b"), sound("a"))?.layers.map((l) => l.id)).toEqual(["a", "m"]);
  });

  it("do not guess in lists of values that were changed", () => {
    const theirs = applyOperations(sound("a"), [
      { op: "add", path: "/layers/0/params/list/0", value: 9 },
    ]).document;
    expect(onto([replace("/layers/0/params/list/1", 5)], sound("a"), theirs)).toBeNull();
    expect(onto([replace("/layers/0/params/list", [5])], sound("a"), theirs)).not.toBeNull();
  });
});
