import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { OpenedSound } from "../api/client";
import { useNotices } from "../notices/notices";
import { heardAtOnce } from "./saving";
import {
  catchUp,
  edit,
  endGesture,
  explainSaving,
  lastWords,
  redo,
  takeUp,
  undo,
  useSession,
} from "./store";

const opened = () =>
  ({
    id: 7,
    revision: 1,
    score_revision: 1,
    document: {
      name: "A",
      layers: [{ id: "l", name: "L" }],
      buses: [],
      modulators: [],
      routes: [],
    },
    score: { length: 10, notes: [], markers: [] },
    cue: { id: 3, number: "1m1", name: "Cue", sounds: [] },
    production: { id: 1, name: "Film" },
  }) as unknown as OpenedSound;

type Sent = {
  url: string;
  keepalive: boolean;
  body: { revision: number; patch: { value: unknown }[] };
};
let sent: Sent[] = [];
let newest: () => Response | Promise<Response>;
let answer: (body: Sent["body"]) => Response | Promise<Response>;

const json = (data: unknown, status = 200) =>
  new Response(JSON.stringify(data), { status, headers: { "Content-Type": "application/json" } });

beforeEach(() => {
  sent = [];
  newest = () => json(opened());
  answer = (body) => json({ revision: body.revision + 1, document: useSession.getState().sound });
  vi.stubGlobal("fetch", async (request: Request) => {
    if (request.method === "GET") return newest();
    const body = await request.json();
    sent.push({ url: request.url, keepalive: request.keepalive, body });
    return answer(body);
  });
  takeUp(opened());
  useNotices.setState({ notice: null });
});

afterEach(async () => {
  await settled();
  vi.unstubAllGlobals();
});

const settled = () => vi.waitFor(() => expect(useSession.getState().saving).toBe("saved"));
const rename = (value: string, gesture: string | null = null) =>
  edit("sound", [{ op: "replace", path: "/name", value }], "Rename", gesture);
const name = () => useSession.getState().sound?.name;

describe("editing", () => {
  it("is seen at once and saved", async () => {
    rename("B");
    expect(name()).toBe("B");
    expect(useSession.getState().saving).toBe("saving");
    await settled();
    expect(sent[0]?.body.revision).toBe(1);
    rename("C");
    await settled();
    expect(sent[1]?.body.revision).toBe(2);
  });

  it("is sent to its end if the page is left meanwhile, where it is small enough", async () => {
    rename("B");
    await settled();
    rename("C".repeat(20_000));
    await settled();
    expect(sent.map((s) => s.keepalive)).toEqual([true, false]);
  });

  it("can be undone and redone, step by step", async () => {
    rename("B");
    rename("C");
    undo();
    expect(name()).toBe("B");
    undo();
    expect(name()).toBe("A");
    undo();
    redo();
    redo();
    expect(name()).toBe("C");
    await settled();
    expect(sent.map((s) => s.body.patch[0]?.value)).toEqual(["B", "C", "B", "A", "B", "C"]);
  });

  it("forgets what was undone once something else is done", () => {
    rename("B");
    undo();
    rename("C");
    redo();
    expect(name()).toBe("C");
  });

  it("makes one step of a drag and sends only its newest state", async () => {
    for (const value of ["1", "2", "3", "4"]) rename(value, "drag");
    endGesture();
    await settled();
    expect(sent.map((s) => s.body.patch[0]?.value)).toEqual(["1", "4"]);
    undo();
    expect(name()).toBe("A");
  });

  it("sends what is dragged in turn, or as quickly as it is saved where somebody listens", async () => {
    for (const value of ["1", "2"]) rename(value, "drag");
    await new Promise((later) => setTimeout(later, 60));
    expect(sent.map((s) => s.body.patch[0]?.value)).toEqual(["1"]);
    expect(name()).toBe("2");
    expect(useSession.getState().saving).toBe("saving");
    await settled();
    heardAtOnce(true);
    for (const value of ["3", "4", "5"]) rename(value, "drag");
    await settled();
    heardAtOnce(false);
    expect(sent.map((s) => s.body.patch[0]?.value)).toEqual(["1", "2", "3", "5"]);
  });

  it("sends what waits for its turn as soon as something else is done", async () => {
    for (const value of ["1", "2"]) rename(value, "drag");
    await new Promise((later) => setTimeout(later, 60));
    rename("3");
    await vi.waitFor(() => expect(sent).toHaveLength(3), { timeout: 60, interval: 5 });
    expect(sent.map((s) => s.body.patch[0]?.value)).toEqual(["1", "2", "3"]);
  });

  it("takes back what the server refuses, and says why", async () => {
    answer = () => json({ text: "name: too long", problems: [] }, 422);
    rename("B");
    await settled();
    expect(name()).toBe("A");
    expect(useNotices.getState().notice?.text).toContain("too long");
  });

  it("keeps changes while the server is away and sends them when it is back", async () => {
    let away = true;
    answer = (body) => {
      if (away) throw new TypeError("no connection");
      return json({ revision: body.revision + 1, document: useSession.getState().sound });
    };
    rename("B");
    await vi.waitFor(() => expect(useSession.getState().saving).toBe("offline"));
    expect(name()).toBe("B");
    away = false;
    await vi.waitFor(() => expect(useSession.getState().saving).toBe("saved"), { timeout: 4000 });
    expect(sent.at(-1)?.body.patch[0]?.value).toBe("B");
  });
});

describe("an edit that is not saved", () => {
  const actions = () => useNotices.getState().notice?.actions.map((action) => action.name);
  const choose = (wanted: string) =>
    useNotices
      .getState()
      .notice?.actions.find((action) => action.name === wanted)
      ?.act();
  const failing = () => json({ text: "The disk is full.", problems: [] }, 507);
  const saves = (body: Sent["body"]) =>
    json({ revision: body.revision + 1, document: useSession.getState().sound });

  it("waits with all the others and all undo, is tried again, and clears the notice", async () => {
    answer = failing;
    rename("B");
    rename("C");
    await vi.waitFor(() => expect(useSession.getState().saving).toBe("failing"));
    expect(name()).toBe("C");
    expect(useSession.getState().done).toHaveLength(2);
    expect(useNotices.getState().notice?.text).toContain("The disk is full.");
    expect(actions()).toEqual(["Try again now", "Keep as a copy", "Give up these changes"]);
    answer = saves;
    choose("Try again now");
    await settled();
    expect(useNotices.getState().notice).toBeNull();
    expect(sent.map((s) => s.body.patch[0]?.value)).toEqual(["B", "B", "C"]);
  });

  it("is told of again when it fails again, and when that is asked", async () => {
    answer = failing;
    rename("B");
    await vi.waitFor(() => expect(actions()).toHaveLength(3));
    choose("Try again now");
    useNotices.setState({ notice: null });
    await vi.waitFor(() => expect(actions()).toHaveLength(3));
    useNotices.setState({ notice: null });
    explainSaving();
    expect(useNotices.getState().notice?.text).toContain("The disk is full.");
    answer = saves;
    choose("Try again now");
    await settled();
  });

  it("goes with the last words when it is not on its way just then", async () => {
    answer = failing;
    rename("B");
    await vi.waitFor(() => expect(useSession.getState().saving).toBe("failing"));
    edit("sound", [{ op: "replace", path: "/layers/0/name", value: "M" }], "Rename layer");
    answer = saves;
    lastWords();
    await vi.waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]?.body).toMatchObject({ revision: 1, patch: [{ value: "B" }, { value: "M" }] });
    choose("Try again now");
    await settled();
  });

  it("is asked for less and less often", async () => {
    vi.useFakeTimers();
    try {
      answer = failing;
      rename("B");
      await vi.advanceTimersByTimeAsync(60_000);
      expect(sent.length).toBeLessThanOrEqual(7);
      answer = saves;
      await vi.advanceTimersByTimeAsync(31_000);
      expect(useSession.getState().saving).toBe("saved");
    } finally {
      vi.useRealTimers();
    }
  });

  it("can be given up", async () => {
    answer = failing;
    rename("B");
    await vi.waitFor(() => expect(actions()).toHaveLength(3));
    choose("Give up these changes");
    expect(name()).toBe("A");
    await settled();
  });

  it("of a deleted sound is not sent again, but kept", async () => {
    answer = () => json({ text: "gone", problems: [] }, 404);
    rename("B");
    await vi.waitFor(() => expect(useSession.getState().saving).toBe("gone"));
    await new Promise((resolve) => setTimeout(resolve, 30));
    expect(sent).toHaveLength(1);
    expect(name()).toBe("B");
    expect(actions()).toEqual(["Keep as a copy", "Give up these changes"]);
    choose("Give up these changes");
  });

  it("takes only itself back where the server refuses it", async () => {
    answer = (body) =>
      body.patch[0]?.value === "B" ? json({ text: "no", problems: [] }, 422) : saves(body);
    rename("B");
    edit("sound", [{ op: "replace", path: "/layers/0/name", value: "M" }], "Rename layer");
    await settled();
    expect(name()).toBe("A");
    expect(useSession.getState().sound?.layers[0]?.name).toBe("M");
    expect(useSession.getState().done.map((step) => step.label)).toEqual(["Rename layer"]);
  });
});

describe("several sounds", () => {
  const other = () =>
    ({ ...opened(), id: 8, document: { ...opened().document, name: "Other" } }) as OpenedSound;

  it("do not mix when one is opened while an edit of another is on its way", async () => {
    const waiting: (() => void)[] = [];
    answer = (body) =>
      new Promise((resolve) => {
        const document = { ...opened().document, name: body.patch[0]?.value };
        waiting.push(() => resolve(json({ revision: body.revision + 1, document })));
      });
    rename("B");
    rename("C");
    await vi.waitFor(() => expect(waiting).toHaveLength(1));
    takeUp(other());
    rename("D");
    await vi.waitFor(() => expect(waiting).toHaveLength(2));
    waiting[0]?.();
    await vi.waitFor(() => expect(waiting).toHaveLength(3));
    expect(name()).toBe("D");
    waiting[1]?.();
    waiting[2]?.();
    await settled();
    expect(name()).toBe("D");
    const edits = sent.map((s) => [
      s.url.split("/").at(-1),
      s.body.revision,
      s.body.patch[0]?.value,
    ]);
    expect(edits).toEqual([
      ["7", 1, "B"],
      ["8", 1, "D"],
      ["7", 2, "C"],
    ]);
  });

  it("are shown with what is still on its way when they are opened again", async () => {
    let away = true;
    answer = (body) => {
      if (away) throw new TypeError("no connection");
      return json({ revision: body.revision + 1, document: useSession.getState().sound });
    };
    rename("B");
    takeUp(other());
    expect(useSession.getState().saving).toBe("saved");
    takeUp(opened());
    expect(name()).toBe("B");
    away = false;
    await vi.waitFor(() => expect(useSession.getState().saving).toBe("saved"), { timeout: 4000 });
  });
});

describe("a page that is closed", () => {
  it("sends all that waits in one request, which comes after the one on its way", async () => {
    let arrive: (response: Response) => void = () => undefined;
    answer = (body) =>
      body.revision === 1
        ? new Promise((resolve) => {
            arrive = resolve;
          })
        : json({ revision: body.revision + 1, document: useSession.getState().sound });
    rename("B");
    await vi.waitFor(() => expect(sent).toHaveLength(1));
    rename("C");
    edit("sound", [{ op: "replace", path: "/layers/0/name", value: "M" }], "Rename layer");
    lastWords();
    await vi.waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]?.body).toMatchObject({ revision: 2, patch: [{ value: "C" }, { value: "M" }] });
    expect(sent[1]?.keepalive).toBe(true);
    arrive(json({ revision: 2, document: opened().document }));
    await settled();
  });
});

describe("two pages on one sound", () => {
  it("keep both edits where they touch different values", async () => {
    newest = () => json({ ...opened(), revision: 5, document: theirs });
    const theirs = { ...opened().document, name: "Theirs" };
    answer = (body) =>
      body.revision === 5
        ? json({ revision: 6, document: useSession.getState().sound })
        : json({ text: "changed elsewhere", problems: [] }, 409);
    edit("sound", [{ op: "replace", path: "/layers/0/name", value: "M" }], "Rename layer");
    await settled();
    expect(name()).toBe("Theirs");
    expect(useSession.getState().sound?.layers[0]?.name).toBe("M");
    expect(sent.map((s) => s.body.revision)).toEqual([1, 5]);
    expect(useNotices.getState().notice).toBeNull();
  });

  it("say so where what is edited was removed elsewhere", async () => {
    newest = () =>
      json({ ...opened(), revision: 5, document: { ...opened().document, layers: [] } });
    answer = () => json({ text: "changed elsewhere", problems: [] }, 409);
    edit("sound", [{ op: "replace", path: "/layers/0/name", value: "M" }], "Rename layer");
    await settled();
    expect(useSession.getState().sound?.layers).toEqual([]);
    expect(useNotices.getState().notice?.text).toContain("removed elsewhere");
  });
});

describe("catching up with what was changed elsewhere", () => {
  const elsewhere = () =>
    json({ ...opened(), revision: 9, document: { ...opened().document, name: "E" } });

  /** Catching up that has asked the server, and what lets the server answer. */
  const slowly = async () => {
    let arrive: ((response: Response) => void) | null = null;
    newest = () =>
      new Promise((resolve) => {
        arrive = resolve;
      });
    const catching = catchUp();
    await vi.waitFor(() => expect(arrive).not.toBeNull());
    return [catching, arrive as unknown as (response: Response) => void] as const;
  };

  it("takes up another state", async () => {
    newest = elsewhere;
    await catchUp();
    expect(name()).toBe("E");
  });

  it("keeps the steps of undo where nothing was changed", async () => {
    newest = () => json({ ...opened(), revision: 2, document: useSession.getState().sound });
    rename("B");
    await settled();
    await catchUp();
    expect(useSession.getState().done).toHaveLength(1);
  });

  it("lets an edit made meanwhile go first", async () => {
    const [catching, arrive] = await slowly();
    rename("B");
    await settled();
    arrive(elsewhere());
    await catching;
    expect(name()).toBe("B");
    undo();
    expect(name()).toBe("A");
  });

  it("does not take up a sound that is no longer open", async () => {
    const [catching, arrive] = await slowly();
    takeUp({ ...opened(), id: 8, document: { ...opened().document, name: "Other" } });
    arrive(elsewhere());
    await catching;
    expect(name()).toBe("Other");
  });
});
