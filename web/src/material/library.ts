/** The material library: recordings and tables, imports, and changes with undo. */

import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api, Refused, type Schemas, taken, token } from "../api/client";
import { notify } from "../notices/notices";

export type Material = Schemas["MaterialOut"];
export type RecordingCard = Required<Schemas["RecordingCard"]>;
export type TableCard = Required<Schemas["TableCard"]>;
export type CardChange = Partial<Schemas["CardChange"]>;
export type Cut = Schemas["CutOut"];
export type Step = RecordingCard["steps"][number];
export type Loop = Schemas["Loop"];

export type Change = (change: CardChange, label: string) => Promise<void>;

/** A file that is being imported. */
export interface Arriving {
  name: string;
  progress: number;
  cancel: () => void;
}

export const MATERIAL = ["material"];

export function useMaterial() {
  return useQuery({
    queryKey: MATERIAL,
    queryFn: () => taken(api.GET("/api/material")),
    retry: 3,
  });
}

/** The key of the recording that a new source plays: the first in the library, if there is one. */
export function useFirstRecording(): string {
  return useMaterial().data?.find((m) => m.card.kind === "recording")?.card.key ?? "";
}

/** A recording of more than two channels, of which a mix or two can be taken. */
export class TooManyChannels extends Error {
  constructor(
    text: string,
    readonly channels: number,
  ) {
    super(text);
  }

  /** What can be taken, as the server calls it, and as it is offered. */
  get offers(): { take: string; name: string }[] {
    const pairs = Array.from({ length: Math.floor(this.channels / 2) }, (_, i) => {
      const [left, right] = [2 * i + 1, 2 * i + 2];
      return { take: `${left}-${right}`, name: `Take ${left} and ${right}` };
    });
    return [{ take: "mix", name: "Mix to stereo" }, ...pairs];
  }
}

export function isRecording(card: Material["card"]): card is RecordingCard {
  return card.kind === "recording";
}

/** A change of a card, and what takes it back. */
interface Done {
  key: string;
  label: string;
  forward: CardChange;
  back: CardChange;
}

interface MaterialState {
  open: boolean;
  key: string | null;
  done: Done[];
  undone: Done[];
}

/** The view of material: whether it is open, what is chosen, and what can be undone. */
export const useMaterialView = create<MaterialState>(() => ({
  open: false,
  key: null,
  done: [],
  undone: [],
}));

export function openMaterial(key: string | null = null) {
  useMaterialView.setState((state) => ({ open: true, key: key ?? state.key }));
}

export function closeMaterial() {
  useMaterialView.setState({ open: false });
}

/** What sets the fields of a change back to what they are on the card. */
export function inverse(card: RecordingCard | TableCard, change: CardChange): CardChange {
  const back: CardChange = {};
  if (change.name !== undefined) back.name = card.name;
  if (card.kind !== "recording") return back;
  if (change.steps !== undefined) back.steps = card.steps;
  if (change.root !== undefined || change.no_root) {
    if (card.root === null) back.no_root = true;
    else back.root = card.root;
  }
  if (change.loop !== undefined || change.no_loop) {
    if (card.loop) back.loop = card.loop;
    else back.no_loop = true;
  }
  return back;
}

async function send(key: string, change: CardChange): Promise<boolean> {
  try {
    await taken(
      api.PATCH("/api/material/{key}", { params: { path: { key } }, body: change as never }),
    );
    return true;
  } catch (error) {
    notify(error instanceof Error ? error.message : String(error));
    return false;
  }
}

/** Change a card; it can be undone. */
export async function changeCard(
  card: RecordingCard | TableCard,
  change: CardChange,
  label: string,
): Promise<boolean> {
  const back = inverse(card, change);
  const kept = await send(card.key, change);
  if (kept) {
    const entry = { key: card.key, label, forward: change, back };
    useMaterialView.setState((state) => ({ done: [...state.done, entry], undone: [] }));
  }
  return kept;
}

/** Let go of a piece that no sound uses, and offer to take that back. */
export async function letGo(
  card: RecordingCard | TableCard,
  refresh: () => Promise<void>,
): Promise<void> {
  const params = { path: { key: card.key } };
  const bringBack = async () => {
    try {
      await taken(api.POST("/api/material/{key}/bring-back", { params }));
      notify(`“${card.name}” is back.`, "news");
    } catch (error) {
      notify(`${card.name} cannot be brought back: ${(error as Error).message}.`);
    }
    await refresh();
  };
  try {
    await taken(api.DELETE("/api/material/{key}", { params }));
    notify(`“${card.name}” is let go of.`, "news", { name: "Undo", act: () => void bringBack() });
  } catch (error) {
    notify(`${card.name} stays: ${(error as Error).message}.`);
  }
  await refresh();
}

/** Take the last change of a card back, or make it again. */
export async function stepBack(direction: "undo" | "redo"): Promise<void> {
  const [from, to] =
    direction === "undo" ? (["done", "undone"] as const) : (["undone", "done"] as const);
  const state = useMaterialView.getState();
  const entry = state[from].at(-1);
  if (!entry) return;
  if (!(await send(entry.key, direction === "undo" ? entry.back : entry.forward))) return;
  useMaterialView.setState((now) => ({
    ...now,
    [from]: now[from].slice(0, -1),
    [to]: [...now[to], entry],
    key: entry.key,
  }));
}

/** Send a file and hear how far it has got; the signal cancels it. */
export function takeIn(
  file: File,
  onProgress: (progress: number) => void,
  signal: AbortSignal,
  take = "",
): Promise<Schemas["TakenIn"]> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    const form = new FormData();
    form.append("file", file);
    const job = crypto.randomUUID();
    const path = { job };
    let asking: ReturnType<typeof setInterval> | undefined;
    // Half of it is sending it, half is what the server does with it.
    const ask = async () => {
      const found = await api.GET("/api/material/jobs/{job}", { params: { path } });
      if (found.data) onProgress(0.5 + 0.5 * found.data.progress);
    };
    request.upload.onload = () => {
      asking = setInterval(() => void ask().catch(() => undefined), ASK_MS);
    };
    request.onloadend = () => clearInterval(asking);
    request.open("POST", `/api/material?job=${job}&take=${take}`);
    request.setRequestHeader("X-CSRFToken", token());
    request.responseType = "json";
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) onProgress((0.5 * event.loaded) / event.total);
    };
    request.onload = () => {
      if (request.status === 201) resolve(request.response as Schemas["TakenIn"]);
      else {
        const answer = request.response as Partial<Schemas["ErrorOut"]> | null;
        const text = answer?.text ?? `${file.name} could not be imported.`;
        if (answer?.channels) reject(new TooManyChannels(text, answer.channels));
        else reject(new Refused(text, request.status));
      }
    };
    request.onerror = () =>
      reject(new Error(`The connection was lost while sending ${file.name}.`));
    request.onabort = () => reject(new DOMException("cancelled", "AbortError"));
    signal.addEventListener("abort", () => {
      request.abort();
      const cancelled = api.POST("/api/material/jobs/{job}/cancel", { params: { path } });
      void cancelled.catch(() => undefined);
    });
    request.send(form);
  });
}

/** Between questions of how far the server is with a file. */
const ASK_MS = 500;

const AUDIO = /\.(wav|wave|flac|ogg|oga|aif|aiff|aifc|mp3)$/i;

export function isAudio(file: File): boolean {
  return AUDIO.test(file.name) || file.type.startsWith("audio/");
}
