/** The audio worklet: a ring of samples, played as they come, and reports of what was heard. */

// The worklet's own global scope, which TypeScript's libraries do not describe.
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
declare const sampleRate: number;
declare function registerProcessor(name: string, processor: unknown): void;

/** Frames that there is room for: two seconds are sent ahead, and a stretch more. */
const SIZE = 1 << 17;
/** Frames to have before playing: two of the server's blocks, or the second would come late. */
const FIRST = 4096;
const REPORT = 1024;
const KEPT = 1 << 15;
/** A step of what rises from silence in 5 ms, where a sound begins in its midst or goes on. */
const RISE = 1 / 256;
/**
 * A step of going over between what came and what it replaced, in 10 ms: to what was replaced where
 * no more has come, and back where what comes is too late for its place.
 */
const GO_OVER = 1 / 480;

interface Mark {
  frame: number;
  at: number;
}

interface Samples {
  type: "samples";
  stream: number;
  /** The frame of the stream that they begin at; what had come from there on is replaced. */
  frame: number;
  at: number;
  panics: number;
  samples: Float32Array;
}

type FromConnection =
  | { type: "begin"; stream: number; at: number }
  | Samples
  | { type: "end"; stream: number };

type FromPage = { type: "connect"; port: MessagePort } | { type: "panic" } | { type: "capture" };

class Ring extends AudioWorkletProcessor {
  private readonly left = new Float32Array(SIZE);
  private readonly right = new Float32Array(SIZE);
  /** What was at each place before it was replaced. */
  private readonly staleLeft = new Float32Array(SIZE);
  private readonly staleRight = new Float32Array(SIZE);
  private readonly played = new Float32Array(2 * KEPT);
  private playedAt = 0;
  private connection: MessagePort | null = null;
  private stream = -1;
  private ended = false;
  private marks: Mark[] = [];
  /** The frame after the last that came. */
  private written = 0;
  /** The frame after the last that came before something was replaced. */
  private stale = 0;
  /** How much of what is heard was replaced, but for which nothing else has come. */
  private over = 0;
  private read = 0;
  private started = false;
  /** Whether all was dropped, and what comes next goes on from wherever it belongs. */
  private dropped = false;
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
    this.written = this.stale = this.read;
    this.over = 0;
    this.marks = [];
    this.dropped = true;
    this.started = false;
    this.risen = 0;
  }

  private hear(message: FromConnection) {
    if (message.type === "begin") {
      this.stream = message.stream;
      this.written = this.stale = this.read = this.reported = this.over = 0;
      this.started = this.ended = this.dropped = false;
      this.underruns = this.panics = 0;
      // At its very beginning a sound rises by itself.
      this.risen = message.at > 0 ? 0 : 1;
      this.marks = [{ frame: 0, at: message.at }];
    } else if (message.stream !== this.stream) {
      return;
    } else if (message.type === "end") {
      this.ended = true;
      this.stale = 0;
    } else {
      this.take(message);
    }
  }

  private take({ frame, at, panics, samples }: Samples) {
    // Made before the server knew of a panic, it comes too late.
    if (panics < this.panics) return;
    if (this.dropped) {
      this.read = this.written = this.stale = this.reported = frame;
      this.dropped = false;
    }
    const end = frame + samples.length / 2;
    this.stale = Math.max(this.stale, this.written);
    // What was there before is better than nothing, where all of it comes too late.
    if (end <= this.read && frame < this.written) return;
    if (frame < this.read && this.read < this.written) this.over = 1;
    for (let at = Math.max(frame, this.read); at < end; at++) {
      const to = at % SIZE;
      if (at < this.stale) {
        this.staleLeft[to] = this.left[to] ?? 0;
        this.staleRight[to] = this.right[to] ?? 0;
      }
      this.left[to] = samples[2 * (at - frame)] ?? 0;
      this.right[to] = samples[2 * (at - frame) + 1] ?? 0;
    }
    this.written = end;
    this.marks = [...this.marks.filter((mark) => mark.frame < frame), { frame, at }];
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

  /** Play the next frame: what came last for it, or, as long as that is missing, what had before. */
  private playFrame() {
    const at = this.read % SIZE;
    const came = this.read < this.written;
    const missing = this.written - this.read <= 1 / GO_OVER && this.written < this.stale;
    this.over = Math.min(1, Math.max(0, this.over + (missing ? GO_OVER : -GO_OVER)));
    const was = this.read < this.stale ? this.over : 0;
    const is = came ? 1 - this.over : 0;
    const [left, right] = came ? [this.staleLeft, this.staleRight] : [this.left, this.right];
    this.lastLeft = this.risen * (is * (this.left[at] ?? 0) + was * (left[at] ?? 0));
    this.lastRight = this.risen * (is * (this.right[at] ?? 0) + was * (right[at] ?? 0));
    this.read++;
  }

  process(_: Float32Array[][], outputs: Float32Array[][]): boolean {
    const left = outputs[0]?.[0];
    const right = outputs[0]?.[1];
    if (!left || !right) return true;
    if (!this.started && this.written - this.read >= FIRST) this.started = true;
    let dry = false;
    for (let i = 0; i < left.length; i++) {
      if (this.started && this.read < Math.max(this.written, this.stale)) {
        this.risen = Math.min(1, this.risen + RISE);
        this.playFrame();
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
