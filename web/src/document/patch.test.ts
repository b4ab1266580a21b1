import { describe, expect, it } from "vitest";
import { applyOperations, joined, type Operation, shared, valueAt } from "./patch";

const sound = () => ({
  name: "A",
  layers: [
    { id: "x", level: 1 },
    { id: "y", level: 2 },
  ],
  tags: ["a"],
});

describe("operations", () => {
  it.each<[string, Operation[]]>([
    ["replace", [{ op: "replace", path: "/layers/1/level", value: 9 }]],
    ["add to the end", [{ op: "add", path: "/tags/-", value: "b" }]],
    ["add between", [{ op: "add", path: "/layers/1", value: { id: "z", level: 0 } }]],
    ["remove", [{ op: "remove", path: "/layers/0" }]],
    ["remove a field", [{ op: "remove", path: "/name" }]],
    ["add a field", [{ op: "add", path: "/new", value: 1 }]],
    ["the whole", [{ op: "replace", path: "", value: { name: "B", layers: [], tags: [] } }]],
    [
      "several",
      [
        { op: "remove", path: "/layers/1" },
        { op: "add", path: "/layers/0", value: { id: "q", level: 7 } },
        { op: "replace", path: "/layers/1/level", value: 5 },
      ],
    ],
  ])("%s, and back again", (_, operations) => {
    const before = sound();
    const { document, inverse } = applyOperations(before, operations);
    expect(before).toEqual(sound());
    expect(document).not.toEqual(before);
    expect(applyOperations(document, inverse).document).toEqual(before);
  });

  it("fractions what stays", () => {
    const before = sound();
    const { document } = applyOperations(before, [
      { op: "replace", path: "/layers/1/level", value: 9 },
    ]);
    expect(document.layers[0]).toBe(before.layers[0]);
    expect(document.tags).toBe(before.tags);
    expect(document.layers[1]).not.toBe(before.layers[1]);
  });

  it("reads pointers with escapes", () => {
    expect(valueAt({ "a/b": { "c~d": 3 } }, "/a~1b/c~0d")).toBe(3);
  });

  it("refuses what leads nowhere", () => {
    expect(() => applyOperations(sound(), [{ op: "replace", path: "/a/b/c", value: 1 }])).toThrow();
    expect(() => applyOperations(sound(), [{ op: "remove", path: "" }])).toThrow();
  });
});

describe("sharing with the state before", () => {
  it("keeps equal parts as they are", () => {
    const before = sound();
    expect(shared(before, sound())).toBe(before);
    const next = { ...sound(), name: "B" };
    const merged = shared(before, next);
    expect(merged).toEqual(next);
    expect(merged.layers).toBe(before.layers);
  });

  it("takes what differs in length or kind", () => {
    expect(shared([1, 2, 3], [1, 2])).toEqual([1, 2]);
    expect(shared<unknown>({ a: 1 }, [1])).toEqual([1]);
    expect(shared<unknown>({ a: 1, b: 2 }, { a: 1 })).toEqual({ a: 1 });
  });
});

describe("operations of one gesture", () => {
  const replace = (path: string, value: unknown): Operation => ({ op: "replace", path, value });

  it("are joined to as few as say the same", () => {
    expect(joined([replace("/a", 1), replace("/b", 2)], [replace("/a", 3)])).toEqual([
      replace("/b", 2),
      replace("/a", 3),
    ]);
  });

  it("leave nothing out across what adds or removes", () => {
    const add: Operation = { op: "add", path: "/list/0", value: 5 };
    expect(joined([replace("/list/0", 1), add], [replace("/list/0", 2)])).toEqual([
      replace("/list/0", 1),
      add,
      replace("/list/0", 2),
    ]);
    expect(joined([replace("/list/0", 1)], [add, replace("/list/0", 2)])).toHaveLength(3);
  });

  it("give the same document as one after the other, forwards and back", () => {
    let document: unknown = { a: 1, b: 2, list: [1, 2] };
    const before = document;
    let forward: Operation[] = [];
    let back: Operation[] = [];
    const gesture: Operation[][] = [
      [{ op: "add", path: "/list/-", value: 3 }],
      [replace("/list/2", 4), replace("/a", 5)],
      [replace("/list/2", 6)],
      [{ op: "remove", path: "/list/0" }],
      [replace("/a", 7), replace("/list/0", 8)],
    ];
    for (const operations of gesture) {
      const step = applyOperations(document, operations);
      document = step.document;
      forward = joined(forward, operations);
      back = joined(step.inverse, back);
    }
    expect(applyOperations(before, forward).document).toEqual(document);
    expect(applyOperations(document, back).document).toEqual(before);
  });
});
