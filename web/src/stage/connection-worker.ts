/**
 * The WebSocket of the open sound, in a worker: samples go from here straight to the audio
 * worklet, so that nothing the page does makes the sound stutter. All else goes to the page.
 */

import { AUDIO, type AudioHeader, readPacket, TILE } from "./packets";

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

let socket: WebSocket | null = null;
let audio: MessagePort | null = null;

function open(url: string) {
  const fresh = new WebSocket(url);
  fresh.binaryType = "arraybuffer";
  socket = fresh;
  fresh.onopen = () => page.postMessage({ type: "opened" });
  fresh.onclose = (event) => {
    if (socket === fresh) page.postMessage({ type: "closed", code: event.code });
  };
  fresh.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
    if (socket !== fresh) return;
    if (typeof event.data === "string") hear(event.data);
    else take(event.data);
  };
}

function hear(text: string) {
  const message = JSON.parse(text);
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
    const { stream, at } = packet.header as AudioHeader;
    const samples = new Float32Array(packet.data);
    audio?.postMessage({ type: "samples", stream, at, samples }, [samples.buffer]);
  } else if (packet.kind === TILE) {
    page.postMessage({ type: "tile", header: packet.header, data: packet.data }, [packet.data]);
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
