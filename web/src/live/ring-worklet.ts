/** The audio worklet: a ring of samples, played as they come, and reports of what was heard. */

// The worklet's own global scope, which TypeScript's libraries do not describe.
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
declare const sampleRate: number;
declare function registerProcessor(name: string, processor: unknown): void;

const SIZE = 1 << 16;
/** Frames to have before playing: two of the server's blocks, or the second would come late. */
const FIRST = 4096;
const REPORT = 1024;
const KEPT = 1 << 15;
/** A step of what rises from silence in 5 ms, where a sound begins in its midst or goes on. */
const RISE = 1 / 256;

interface Mark {
  frame: number;
  at: number;
}

type FromConnection =
  | { type: "begin"; stream: number; at: number }
  | { type: "samples"; stream: number; at: number; panics: number; samples: Float32Array }
  | { type: "end"; stream: number };

type FromPage = { type: "connect"; port: MessagePort } | { type: "panic" } | { type: "capture" };

class Ring extends AudioWorkletProcessor {
  private readonly left = new Float32Array(SIZE);
  private readonly right = new Float32Array(SIZE);
  private readonly played = new Float32Array(2 * KEPT);
  private playedAt = 0;
  private connection: MessagePort | null = null;
  private stream = -1;
  private ended = false;
  private marks: Mark[] = [];
  private written = 0;
  private read = 0;
  private started = false;
  private risen = 0;
  private underruns = 0;
  private panics = 0;
  private reported = 0;
  private peak = 0;
  private lastLeft = 0;
  private lastRight = 0;

  constructor() {
    super();
    this.port.onmessage = (event: MessageEvent<FromPage>) => {
      const message = event.data;
      if (message.type === "panic") {
        this.panics++;
        this.drop();
      } else if (message.type === "capture") {
        this.port.postMessage({ type: "captured", samples: this.ordered() });
      } else {
        this.connection = message.port;
        message.port.onmessage = (from: MessageEvent<FromConnection>) => this.hear(from.data);
      }
    };
  }

  /** Leave out all that waits to be played. */
  private drop() {
    this.read = this.written;
    this.started = false;
    this.risen = 0;
  }

  private hear(message: FromConnection) {
    if (message.type === "begin") {
      this.stream = message.stream;
      this.written = this.read = this.reported = 0;
      this.started = this.ended = false;
      this.underruns = this.panics = 0;
      // At its very beginning a sound rises by itself.
      this.risen = message.at > 0 ? 0 : 1;
      this.marks = [{ frame: 0, at: message.at }];
    } else if (message.stream !== this.stream) {
      return;
    } else if (message.type === "end") {
      this.ended = true;
    } else {
      const frames = message.samples.length / 2;
      this.marks.push({ frame: this.written, at: message.at });
      for (let i = 0; i < frames; i++) {
        const at = (this.written + i) % SIZE;
        this.left[at] = message.samples[2 * i] ?? 0;
        this.right[at] = message.samples[2 * i + 1] ?? 0;
      }
      this.written += frames;
      // Made before the server knew of a panic, it comes too late.
      if (message.panics < this.panics) this.drop();
    }
  }

  /** The last samples played, oldest first, left and right in turn. */
  private ordered(): Float32Array {
    const out = new Float32Array(2 * KEPT);
    for (let i = 0; i < KEPT; i++) {
      const at = (this.playedAt + i) % KEPT;
      out[2 * i] = this.played[2 * at] ?? 0;
      out[2 * i + 1] = this.played[2 * at + 1] ?? 0;
    }
    return out;
  }

  /** The moment in the score that is played now. */
  private position(): number {
    while (this.marks.length > 1 && (this.marks[1]?.frame ?? 0) <= this.read) this.marks.shift();
    const mark = this.marks[0];
    return mark ? mark.at + (this.read - mark.frame) / sampleRate : 0;
  }

  private report() {
    this.reported = this.read;
    const heard = { type: "heard", stream: this.stream, frames: this.read };
    this.connection?.postMessage(heard);
    this.port.postMessage({
      ...heard,
      position: this.position(),
      underruns: this.underruns,
      peak: this.peak,
    });
  }

  process(_: Float32Array[][], outputs: Float32Array[][]): boolean {
    const left = outputs[0]?.[0];
    const right = outputs[0]?.[1];
    if (!left || !right) return true;
    if (!this.started && this.written - this.read >= FIRST) this.started = true;
    let dry = false;
    for (let i = 0; i < left.length; i++) {
      if (this.started && this.read < this.written) {
        const at = this.read % SIZE;
        this.risen = Math.min(1, this.risen + RISE);
        this.lastLeft = this.risen * (this.left[at] ?? 0);
        this.lastRight = this.risen * (this.right[at] ?? 0);
        this.read++;
      } else {
        dry = this.started;
        // Fall to silence instead of breaking off, at a stop as at an underrun.
        this.lastLeft *= 0.97;
        this.lastRight *= 0.97;
      }
      left[i] = this.lastLeft;
      right[i] = this.lastRight;
      this.peak = Math.max(this.peak * 0.99995, Math.abs(this.lastLeft), Math.abs(this.lastRight));
      this.played[2 * this.playedAt] = this.lastLeft;
      this.played[2 * this.playedAt + 1] = this.lastRight;
      this.playedAt = (this.playedAt + 1) % KEPT;
    }
    if (dry && this.stream >= 0 && !this.ended) {
      this.underruns++;
      this.started = false;
      this.risen = 0;
    }
    if (this.stream >= 0 && this.read - this.reported >= REPORT) this.report();
    return true;
  }
}

registerProcessor("ring", Ring);

export type { Ring };
