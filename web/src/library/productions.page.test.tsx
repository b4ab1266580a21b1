import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { useNotices } from "../notices/notices";
import { useProductions, useRemoved, useRemoving } from "./productions";

let asked: string[] = [];
let here = true;
let refuse = false;

const json = (data: unknown, status = 200) =>
  new Response(status === 204 ? null : JSON.stringify(data), {
    status,
    headers: { "Content-Type": "application/json" },
  });

function answer(request: Request): Response {
  const path = new URL(request.url).pathname;
  asked.push(`${request.method} ${path}`);
  if (path === "/api/productions") return json(here ? [{ id: 1, name: "Film", cues: [] }] : []);
  if (path === "/api/removed") return json(here ? [] : [{ kind: "production", id: 1 }]);
  if (refuse) return json({ text: "This is no longer there." }, 404);
  here = request.method === "POST";
  return json(null, 204);
}

function rendered() {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  return renderHook(
    () => ({ productions: useProductions(), removed: useRemoved(), remove: useRemoving() }),
    { wrapper },
  );
}

beforeEach(() => {
  asked = [];
  here = true;
  refuse = false;
  useNotices.setState({ notice: null });
  vi.stubGlobal("fetch", async (request: Request) => answer(request));
});
afterEach(() => vi.unstubAllGlobals());

const notice = () => useNotices.getState().notice;

describe("deleting", () => {
  it("takes it out of the list and can be undone from what is said", async () => {
    const { result } = rendered();
    await waitFor(() => expect(result.current.productions.data).toHaveLength(1));
    await act(() => result.current.remove("production", 1, "Film"));
    await waitFor(() => expect(result.current.productions.data).toHaveLength(0));
    expect(result.current.removed.data).toHaveLength(1);
    expect(notice()).toMatchObject({ text: "“Film” is deleted.", kind: "news" });
    await act(async () => notice()?.actions[0]?.act());
    await waitFor(() => expect(result.current.productions.data).toHaveLength(1));
    expect(notice()?.text).toBe("“Film” is back.");
    expect(result.current.removed.data).toHaveLength(0);
  });

  it.each([
    ["production", "DELETE /api/productions/7"],
    ["cue", "DELETE /api/cues/7"],
    ["sound", "DELETE /api/sounds/7"],
    ["version", "DELETE /api/versions/7"],
  ] as const)("asks for a %s by its own address", async (kind, request) => {
    const { result } = rendered();
    await act(() => result.current.remove(kind, 7, "X"));
    expect(asked).toContain(request);
    await act(async () => notice()?.actions[0]?.act());
    await waitFor(() => expect(asked).toContain(`POST /api/removed/${kind}/7`));
  });

  it("says why it did not happen, and offers nothing to undo", async () => {
    refuse = true;
    const { result } = rendered();
    await act(() => result.current.remove("sound", 7, "X"));
    expect(notice()).toMatchObject({ kind: "problem", text: "This is no longer there." });
    expect(notice()?.actions).toEqual([]);
  });
});
