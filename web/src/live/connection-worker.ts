/**
 * The WebSocket of the open sound, in a worker: samples go from here straight to the audio
 * worklet, so that nothing the page does makes the sound stutter. All else goes to the page.
 */

import {
  AUDIO,
  type AudioHeader,
  CLOSER,
  readPacket,
  SPECTRUM,
  TILE,
  TRAJECTORIES,
} from "./packets";

type FromPage =
  | { type: "open"; url: string }
  | { type: "send"; text: string }
  | { type: "close" }
  | { type: "silence" }
  | { type: "audio"; port: MessagePort };

const page = self as unknown as {
  postMessage: (message: unknown, transfer?: Transferable[]) => void;
  onmessage: ((event: MessageEvent<FromPage>) => void) | null;
};

const ASK_MS = 4000;
/** So long without a word, though it was asked, and the server hangs. */
const HANGS_MS = 10_000;
/** The close code for a server that hangs. */
const HANGS = 4008;

let socket: WebSocket | null = null;
let heardAt = 0;
let audio: MessagePort | null = null;

function open(url: string) {
  const fresh = new WebSocket(url);
  fresh.binaryType = "arraybuffer";
  socket = fresh;
  heardAt = performance.now();
  fresh.onopen = () => page.postMessage({ type: "opened" });
  fresh.onclose = (event) => {
    if (socket === fresh) page.postMessage({ type: "closed", code: event.code });
  };
  fresh.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
    if (socket !== fresh) return;
    heardAt = performance.now();
    if (typeof event.data === "string") hear(event.data);
    else take(event.data);
  };
}

/** Ask now and then whether the server is still there; one that hangs is given up. */
setInterval(() => {
  if (!socket || socket.readyState > WebSocket.OPEN) return;
  if (performance.now() - heardAt > HANGS_MS) {
    const hanging = socket;
    socket = null;
    hanging.close();
    page.postMessage({ type: "closed", code: HANGS });
  } else if (socket.readyState === WebSocket.OPEN) {
    socket.send(JSON.stringify({ type: "ping" }));
  }
}, ASK_MS);

function hear(text: string) {
  const message = JSON.parse(text);
  if (message.type === "pong") return;
  if (message.type === "listening") {
    audio?.postMessage({ type: "begin", stream: message.stream, at: message.from });
  } else if (message.type === "stopped") {
    audio?.postMessage({ type: "end", stream: message.stream });
  }
  page.postMessage({ type: "message", message });
}

function take(buffer: ArrayBuffer) {
  const packet = readPacket(buffer);
  if (packet.kind === AUDIO) {
    const { stream, frame, at, panics } = packet.header as AudioHeader;
    const samples = new Float32Array(packet.data);
    audio?.postMessage({ type: "samples", stream, frame, at, panics, samples }, [samples.buffer]);
  } else if (packet.kind === TILE) {
    page.postMessage({ type: "tile", header: packet.header, data: packet.data }, [packet.data]);
  } else if (packet.kind === TRAJECTORIES) {
    const { header, data } = packet;
    page.postMessage({ type: "trajectories", header, data }, [data]);
  } else if (packet.kind === SPECTRUM) {
    const { header, data } = packet;
    page.postMessage({ type: "spectrum", header, data }, [data]);
  } else if (packet.kind === CLOSER) {
    page.postMessage({ type: "closer", header: packet.header, data: packet.data }, [packet.data]);
  }
}

page.onmessage = (event) => {
  const message = event.data;
  if (message.type === "open") open(message.url);
  else if (message.type === "send") {
    if (socket?.readyState === WebSocket.OPEN) socket.send(message.text);
  } else if (message.type === "close") {
    socket?.close();
  } else if (message.type === "silence") {
    audio?.postMessage({ type: "begin", stream: -1, at: 0 });
  } else {
    audio = message.port;
    audio.onmessage = (report: MessageEvent<object>) => {
      if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(report.data));
    };
  }
};
