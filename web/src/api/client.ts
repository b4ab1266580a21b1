import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type TileHeader = Schemas["TileHeader"];
export type CloserHeader = Schemas["CloserHeader"];

/** A generated type with everything filled in, as the server always sends it. */
export type Full<T> = T extends (infer Item)[]
  ? Full<Item>[]
  : T extends object
    ? { [Key in keyof T]-?: Full<Exclude<T[Key], undefined>> }
    : T;

export type Sound = Full<Schemas["Sound"]>;
export type Layer = Full<Schemas["Layer"]>;
export type Bus = Full<Schemas["Bus"]>;
export type Effect = Full<Schemas["EffectPart"]>;
export type Modulator = Full<Schemas["Modulator"]>;
export type Route = Full<Schemas["Route"]>;
export type Lane = Full<Schemas["AutomationLane"]>;
export type Score = Full<Schemas["Score"]>;
export type Time = Full<Schemas["Time"]>;
export type Value = boolean | number | string | Time | number[];
export type ProductionEntry = Schemas["ProductionEntry"];
export type OpenedSound = Schemas["OpenedSound"];
export type RenderOut = Schemas["RenderOut"];
export type RenderIn = Schemas["RenderIn"];
export type VersionOut = Schemas["VersionOut"];

function cookie(name: string): string {
  const found = document.cookie.split("; ").find((row) => row.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

/** The token that every request that changes something carries. */
export function token(): string {
  return cookie("csrftoken");
}

const csrf: Middleware = {
  onRequest({ request }) {
    request.headers.set("X-CSRFToken", token());
    return request;
  },
};

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => fetch(request),
});
api.use(csrf);

/** Something the server would not do, said for a person. */
export class Refused extends Error {
  constructor(
    text: string,
    readonly status: number,
  ) {
    super(text);
  }
}

/** The server cannot be reached. */
export class Unreachable extends Error {
  constructor() {
    super(
      "Caligo's server cannot be reached. Your changes are kept here and sent when it is back.",
    );
  }
}

type Answer<Data> = { data?: Data; error?: unknown; response: Response };

/** The data of an answer, or an error with the server's own words. */
export async function taken<Data>(answering: Promise<Answer<Data>>): Promise<Data> {
  let answer: Answer<Data>;
  try {
    answer = await answering;
  } catch {
    throw new Unreachable();
  }
  if (answer.response.ok) return answer.data as Data;
  throw new Refused(wordsOf(answer.error, answer.response.status), answer.response.status);
}

function wordsOf(error: unknown, status: number): string {
  if (error && typeof error === "object" && "text" in error) return String(error.text);
  if (error && typeof error === "object" && "detail" in error) {
    const detail = error.detail;
    if (Array.isArray(detail)) {
      return detail.map((d: { msg?: string }) => d.msg ?? "This value is not possible").join("; ");
    }
    return String(detail);
  }
  return `The server answered with an error (${status}). Nothing was lost; try again.`;
}

/** Send a file as a form, since generated clients only send JSON. */
export async function upload<Data>(path: string, file: File): Promise<Data> {
  return uploadAll<Data>(path, "file", [file]);
}

/** Send several files under one name. */
export async function uploadAll<Data>(path: string, name: string, files: File[]): Promise<Data> {
  const form = new FormData();
  for (const file of files) form.append(name, file);
  return taken<Data>(
    (async () => {
      const response = await fetch(path, {
        method: "POST",
        body: form,
        headers: { "X-CSRFToken": token() },
      });
      const body = await response.json().catch(() => undefined);
      return response.ok ? { data: body as Data, response } : { error: body, response };
    })(),
  );
}

/** Bytes that the server sends, such as audio. */
export async function bytes(path: string, init: RequestInit = {}): Promise<ArrayBuffer> {
  let response: Response;
  try {
    response = await fetch(path, {
      ...init,
      headers: { ...init.headers, "X-CSRFToken": token() },
    });
  } catch {
    throw new Unreachable();
  }
  if (response.ok) return response.arrayBuffer();
  throw new Refused(
    wordsOf(await response.json().catch(() => undefined), response.status),
    response.status,
  );
}
