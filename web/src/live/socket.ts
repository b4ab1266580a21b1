/** The WebSocket of the open sound: comes back by itself when it is lost. */

import { create } from "zustand";
import type { RenderOut, Schemas } from "../api/client";
import { shared } from "../document/patch";
import { dismissNotice, type Notice, notify } from "../notices/notices";
import { heardAtOnce } from "../session/saving";
import { catchUp, knownRevision, unsent, useSession } from "../session/store";
import { closerView } from "../spectrogram/detail-view";
import { longView } from "../spectrogram/long-view";
import { player } from "./audio";
import {
  forgetLoudness,
  type MatchedGain,
  matchedGain,
  takeExact,
  takeTile,
} from "./equal-loudness";
import {
  keptTrajectories,
  readTrajectories,
  type Trajectories,
  type TrajectoriesHeader,
} from "./packets";
import { watchedSpectrum } from "./watched-spectrum";

export type { Outline, Trajectories } from "./packets";

export type Summary = Schemas["SummaryNews"];
/** What a source's picture shows; which kind it is decides what else there is. */
export type Shown = Schemas["PictureNews"] & Record<string, unknown>;
export type RenderNews = Pick<RenderOut, "id" | "state" | "progress" | "message">;
type News = Schemas["LiveMessages"]["to_page"];
type ToServer = Schemas["LiveMessages"]["from_page"];

export type Reading = Schemas["ReadingOut"];
export type Returns = Schemas["ReturnsOut"];

/** What a parameter does in each note. */
export type NotesOf = Schemas["NotesNews"];

interface Live {
  connected: boolean;
  trajectories: Trajectories;
  /** The same for the stretch that is looked at closer, if there is one. */
  closer: Trajectories | null;
  readings: Record<string, Reading>;
  quick: Record<string, string>;
  returns: Returns | null;
  notes: Record<string, NotesOf>;
  summary: Summary | null;
  /** The frequency of what stands out and is pointed at, if anything is. */
  pointedOut: number | null;
  renders: Record<number, RenderNews>;
  pictures: Record<string, Shown>;
  playing: boolean;
  /** What plays: in real time, the whole in seconds, or two moments in turn. */
  playingAs: "listen" | "skim" | "compare";
  still: boolean;
  /** The moment at which all is frozen, where it is not at rest. */
  frozen: number | null;
  /** By how many decibels what is heard is made as loud as what it is compared with. */
  matched: MatchedGain;
  loop: [number, number] | null;
  /** The slot of the chain whose spectrum is shown; that of all that is heard where it is "". */
  watched: string;
}

/** What is known of a sound that was only just opened. */
const UNKNOWN: Omit<Live, "connected"> = {
  trajectories: {
    start: 0,
    end: 1,
    modulators: {},
    parameters: {},
    spread: {},
    depths: {},
    twoSided: [],
  },
  closer: null,
  readings: {},
  quick: {},
  returns: null,
  notes: {},
  summary: null,
  pointedOut: null,
  renders: {},
  pictures: {},
  playing: false,
  playingAs: "listen",
  still: false,
  frozen: null,
  matched: { by: 0, exact: true },
  loop: null,
  watched: "",
};

export const useLive = create<Live>(() => ({ connected: false, ...UNKNOWN }));

const AGAIN_MS = 500;
const SLOWEST_MS = 8000;
const GONE = 4404;
const TOO_MANY = 4429;

const connection = new Worker(new URL("./connection-worker.ts", import.meta.url), {
  type: "module",
});
let open: number | null = null;
/** Listening that was going on when the connection was lost. */
let resume = false;
/** How often in a row it could not be made. */
let failures = 0;
/** What was said of a lost connection; taken back once it is restored. */
let trouble: Notice | null = null;

player.onPort = (port) => connection.postMessage({ type: "audio", port }, [port]);

export function openLive(soundId: number) {
  closeLive();
  open = soundId;
  useLive.setState(UNKNOWN);
  looked = null;
  forgetLoudness();
  player.setGain(0);
  longView.clear();
  closerView.clear();
  player.moveTo(0);
  connect(soundId);
}

export function closeLive() {
  open = null;
  silence();
  connection.postMessage({ type: "close" });
}

/** What plays falls silent at once. */
function silence() {
  player.stop();
  connection.postMessage({ type: "silence" });
}

function connect(soundId: number) {
  const protocol = window.location.protocol === "https:" ? "wss" : "ws";
  const url = `${protocol}://${window.location.host}/ws/sounds/${soundId}`;
  connection.postMessage({ type: "open", url });
}

connection.onmessage = (event) => {
  const news = event.data;
  if (news.type === "message") hear(news.message);
  else if (news.type === "tile") {
    longView.take(news.header, new Uint8Array(news.data));
    takeTile(news.header);
    match();
  } else if (news.type === "trajectories") {
    takeTrajectories(news.header, news.data);
  } else if (news.type === "spectrum") {
    watchedSpectrum.take(news.header, new Uint8Array(news.data));
  } else if (news.type === "closer") {
    closerView.take(news.header, new Uint8Array(news.data));
  } else if (news.type === "opened") opened();
  else closed(news.code);
};

function opened() {
  useLive.setState({ connected: true });
  failures = 0;
  if (trouble) dismissNotice(trouble);
  trouble = null;
  const { still } = useLive.getState();
  if (still) tell({ type: "still", still, at: useLive.getState().frozen });
  if (looked) tell({ type: "look", span: looked });
  const { watched } = useLive.getState();
  if (watched) tell({ type: "watch", slot: watched });
  if (resume && useLive.getState().playingAs === "listen") void listen(player.position());
  resume = false;
  if (!unsent() && knownRevision() > 0) void catchUp().catch(() => undefined);
}

function closed(code: number) {
  const { playing, connected } = useLive.getState();
  if (connected) resume = playing;
  useLive.setState({ connected: false, playing: false });
  answerMeasuring();
  silence();
  if (code === GONE) {
    notify("This sound is no longer there; it was deleted elsewhere. Choose another.");
    return;
  }
  if (code === TOO_MANY) {
    trouble = notify("Caligo is open in more pages than it can serve. Close one of them.");
  }
  const soundId = open;
  const wait = Math.min(SLOWEST_MS, AGAIN_MS * 2 ** failures++);
  if (soundId !== null) setTimeout(() => open === soundId && connect(soundId), wait);
}

function tell(message: ToServer): boolean {
  if (!useLive.getState().connected) return false;
  connection.postMessage({ type: "send", text: JSON.stringify(message) });
  return true;
}

function hear(message: News) {
  switch (message.type) {
    case "notes":
      useLive.setState((state) => ({ notes: { ...state.notes, [message.address]: message } }));
      break;
    case "make_up":
      if (measuring?.address === message.address) answerMeasuring(message.decibels);
      break;
    case "picture":
      useLive.setState((state) => ({
        pictures: {
          ...state.pictures,
          [`${message.layer}.${message.source}`]: message as Shown,
        },
      }));
      break;
    case "summary":
      longView.finish(message.loudness);
      useLive.setState({ summary: message });
      takeExact(message);
      match();
      break;
    case "listening":
      watchedSpectrum.clear();
      player.begin(message.stream, message.from);
      useLive.setState({ playing: true });
      break;
    case "stopped":
      player.stop();
      useLive.setState({ playing: false });
      break;
    case "changed":
      if (!unsent() && message.revision > knownRevision()) void catchUp().catch(() => undefined);
      break;
    case "render":
      useLive.setState((state) => ({ renders: { ...state.renders, [message.id]: message } }));
      break;
    case "problem":
      notify(message.text);
      break;
    case "pong":
      break;
  }
}

function takeTrajectories(news: TrajectoriesHeader, data: ArrayBuffer) {
  const found = readTrajectories(news, data);
  if (!news.returns) {
    useLive.setState({ closer: looked ? found : null });
    return;
  }
  longView.begin(news.revision);
  // While one value is dragged, most of what moves stays: only what does not is drawn anew.
  useLive.setState((state) => ({
    trajectories: keptTrajectories(state.trajectories, found),
    readings: shared(state.readings, news.readings),
    quick: shared(state.quick, news.quick),
    returns: shared(state.returns, news.returns),
    notes: {},
  }));
}

/** Make what is heard as loud as what it is compared with, as far as both are known. */
function match() {
  const matched = matchedGain(useLive.getState());
  const { by, exact } = useLive.getState().matched;
  if (matched.by === by && matched.exact === exact) return;
  useLive.setState({ matched });
  player.setGain(matched.by);
}

useSession.subscribe((state, before) => {
  if (state.done !== before.done || state.saving !== before.saving) match();
});

useLive.subscribe(({ playing }, before) => {
  if (playing !== before.playing) heardAtOnce(playing);
});

/** The stretch that is looked at closer. */
let looked: [number, number] | null = null;

/** Look closer at a stretch, or only at the whole. */
export function look(span: [number, number] | null) {
  looked = span;
  if (!span) useLive.setState({ closer: null });
  tell({ type: "look", span });
}

/** Show the spectrum of a slot of the chain while it plays; "" for all that is heard. */
export function watch(slot: string) {
  watchedSpectrum.clear();
  useLive.setState({ watched: slot });
  tell({ type: "watch", slot });
}

/** Ask what a parameter does in each note. */
export function askForNotes(address: string) {
  tell({ type: "notes", address });
}

/** Who waits to know what an effect's output has to be; the newest question counts. */
let measuring: { address: string; answer: (decibels?: number | null) => void } | null = null;

/**
 * Decibels to add to an effect's output so that it makes nothing louder or softer; null where
 * nothing is heard through it, undefined where the connection was lost or another was asked for.
 */
export function askForMakeUp(address: string): Promise<number | null | undefined> {
  answerMeasuring();
  return new Promise((answer) => {
    measuring = { address, answer };
    if (!tell({ type: "make_up", address })) answerMeasuring();
  });
}

function answerMeasuring(decibels?: number | null) {
  measuring?.answer(decibels);
  measuring = null;
}

export async function listen(from: number) {
  await player.ready();
  const { loop } = useLive.getState();
  play({ type: "listen", from, loop }, "listen");
}

function play(message: ToServer, playingAs: Live["playingAs"]) {
  if (tell(message)) useLive.setState({ playingAs });
  else {
    trouble = notify(
      "The connection to Caligo's server is lost; it is being restored. Listen again then.",
    );
  }
}

/** Hear the whole length in so many seconds. */
export async function skim(seconds: number) {
  await player.ready();
  play({ type: "skim", seconds }, "skim");
}

/** Hear two moments in turn, again and again. */
export async function compare(moments: [number, number]) {
  await player.ready();
  play({ type: "compare", moments }, "compare");
}

export function stop() {
  tell({ type: "stop" });
  silence();
  useLive.setState({ playing: false });
}

/** Put the playhead somewhere; what plays goes on from there. */
export function seek(to: number) {
  player.moveTo(to);
  if (useLive.getState().playing) tell({ type: "seek", to });
}

export function setLoop(loop: [number, number] | null) {
  useLive.setState({ loop });
  if (useLive.getState().playing) tell({ type: "loop", loop });
}

/** Stop all movement: at rest, or as it is at a moment; or let it go on. */
export function holdStill(still: boolean, at: number | null = null) {
  useLive.setState({ still, frozen: at });
  match();
  tell({ type: "still", still, at });
}

export async function press(key: number, velocity: number) {
  if (!useLive.getState().playing) {
    await listen(player.position());
    await player.sounding();
  }
  tell({ type: "press", key, velocity });
}

export function lift(key: number) {
  tell({ type: "lift", key });
}

/** Silence at once, until a key is played; what runs through the score in leaps is over. */
export function panic() {
  if (useLive.getState().playingAs !== "listen") stop();
  else if (tell({ type: "panic" })) player.panic();
}

/** Lose the connection as a broken network would; browser tests call it. */
export function loseConnection() {
  connection.postMessage({ type: "close" });
}
window.caligo.loseConnection = loseConnection;
