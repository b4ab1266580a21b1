import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { api, bytes, Refused, taken, token, Unreachable, uploadAll } from "./client";

let answer: (request: Request) => Response;
let asked: Request[] = [];
const json = (data: unknown, status = 200) =>
  new Response(JSON.stringify(data), { status, headers: { "Content-Type": "application/json" } });

beforeEach(() => {
  asked = [];
  // biome-ignore lint/suspicious/noDocumentCookie: as the server sets it
  document.cookie = "csrftoken=secret%3D1";
  vi.stubGlobal("fetch", async (input: Request | string, init?: RequestInit) => {
    const request =
      typeof input === "string" ? new Request(new URL(input, "http://here"), init) : input;
    asked.push(request);
    return answer(request);
  });
});
afterEach(() => vi.unstubAllGlobals());

const rename = () =>
  taken(
    api.PATCH("/api/productions/{production_id}", {
      params: { path: { production_id: 1 } },
      body: { name: "X" },
    }),
  );

describe("a request", () => {
  it("carries the token of the page", async () => {
    answer = () => json({ id: 1, name: "X", cues: [] });
    await rename();
    expect(token()).toBe("secret=1");
    expect(asked[0]?.headers.get("X-CSRFToken")).toBe("secret=1");
  });

  it("says that the server cannot be reached", async () => {
    answer = () => {
      throw new TypeError("no connection");
    };
    await expect(rename()).rejects.toBeInstanceOf(Unreachable);
    await expect(bytes("/api/x")).rejects.toThrow("kept here and sent when it is back");
  });

  it.each([
    [{ text: "This name is too long." }, "This name is too long."],
    [{ detail: "Not allowed" }, "Not allowed"],
    [{ detail: [{ msg: "One" }, {}] }, "One; This value is not possible"],
    ["oops", "The server answered with an error (500). Nothing was lost; try again."],
  ])("gives the server's words %o", async (error, words) => {
    answer = () => json(error, 500);
    const refused = await rename().catch((e: Refused) => e);
    expect(refused).toBeInstanceOf(Refused);
    expect(refused).toMatchObject({ message: words, status: 500 });
  });

  it("explains an answer that is no JSON at all", async () => {
    answer = () => new Response("<html>", { status: 413 });
    await expect(bytes("/api/x")).rejects.toThrow("(413)");
  });

  it("sends several files under one name", async () => {
    answer = () => json([{ key: "a" }]);
    const files = ["a.wav", "b.wav"].map((name) => new File(["x"], name));
    expect(await uploadAll("/api/material", "files", files)).toEqual([{ key: "a" }]);
    expect(asked[0]?.method).toBe("POST");
    expect(asked[0]?.headers.get("Content-Type")).toContain("multipart/form-data");
  });
});
