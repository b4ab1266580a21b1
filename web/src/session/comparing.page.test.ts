import { beforeEach, describe, expect, it, vi } from "vitest";
import type { OpenedSound } from "../api/client";
import { useNotices } from "../notices/notices";
import {
  comparedWith,
  editsBetween,
  markBefore,
  turnOver,
  unmarkBefore,
  useComparing,
} from "./comparing";
import { edit, takeUp, undo, useSession } from "./store";

const opened = (id = 7) =>
  ({
    id,
    revision: 1,
    score_revision: 1,
    document: { name: "A", layers: [], buses: [], modulators: [], routes: [], lanes: [] },
    score: { length: 10, notes: [], markers: [] },
    cue: { id: 3, number: "1m1", name: "Cue", sounds: [] },
    production: { id: 1, name: "Film" },
  }) as unknown as OpenedSound;

const rename = (value: string) =>
  edit("sound", [{ op: "replace", path: "/name", value }], "Rename");
const name = () => useSession.getState().sound?.name;

beforeEach(() => {
  vi.stubGlobal("fetch", () => new Promise(() => undefined));
  takeUp(opened(Math.random()));
  useNotices.setState({ notice: null });
});

describe("before and after", () => {
  it("takes the last edit back and makes it again", () => {
    rename("B");
    rename("C");
    turnOver();
    expect(name()).toBe("B");
    expect(comparedWith()).not.toBeNull();
    turnOver();
    expect(name()).toBe("C");
    expect(comparedWith()).toBeNull();
    turnOver();
    expect(name()).toBe("B");
  });

  it("compares all edits since a mark", () => {
    rename("B");
    markBefore();
    expect(editsBetween()).toBe(0);
    for (const next of ["C", "D", "E"]) rename(next);
    expect(editsBetween()).toBe(3);
    turnOver();
    expect(name()).toBe("B");
    expect(editsBetween()).toBe(3);
    turnOver();
    expect(name()).toBe("E");
    unmarkBefore();
    turnOver();
    expect(name()).toBe("D");
  });

  it("may be marked before the first edit", () => {
    markBefore();
    rename("B");
    rename("C");
    turnOver();
    expect(name()).toBe("A");
    turnOver();
    expect(name()).toBe("C");
  });

  it("goes on from the side before when that is edited", () => {
    rename("B");
    rename("C");
    turnOver();
    rename("D");
    expect(comparedWith()).toBeNull();
    turnOver();
    expect(name()).toBe("B");
    turnOver();
    expect(name()).toBe("D");
  });

  it("says where there is nothing to compare, and forgets its mark with the sound", () => {
    turnOver();
    expect(useNotices.getState().notice?.text).toContain("nothing to compare");
    rename("B");
    undo();
    turnOver();
    expect(name()).toBe("A");
    markBefore();
    takeUp(opened(99));
    expect(useComparing.getState().mark).toBeNull();
  });
});
