import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { OpenedSound } from "../api/client";
import { catchUp, edit, endGesture, redo, takeUp, undo, useSession } from "./store";

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

  it("takes back what the server refuses, and says why", async () => {
    answer = () => json({ text: "name: too long", problems: [] }, 422);
    rename("B");
    await settled();
    expect(name()).toBe("A");
    expect(useSession.getState().notice?.text).toContain("too long");
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
