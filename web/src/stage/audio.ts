/** Playing: blocks from the stage go into a ring in the audio worklet; the playhead follows it. */

import workletUrl from "./ring-worklet.ts?worker&url";

const RATE = 48_000;

interface Mark {
  frame: number;
  at: number;
}

class Player {
  onHeard: (stream: number, frames: number) => void = () => undefined;
  private context: AudioContext | null = null;
  private node: AudioWorkletNode | null = null;
  private making: Promise<void> | null = null;
  private stream = -1;
  private received = 0;
  private marks: Mark[] = [];
  private heardFrames = 0;
  private heardWhen = 0;
  private rest = 0;
  private running = false;
  private captures: ((samples: Float32Array) => void)[] = [];
  private waiting: (() => void)[] = [];
  underruns = 0;
  peak = 0;

  /** Make the audio context on the first gesture, as browsers ask for. */
  async ready(): Promise<void> {
    this.making ??= this.make();
    await this.making;
    await this.context?.resume();
  }

  private async make() {
    const context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
    await context.audioWorklet.addModule(workletUrl);
    const node = new AudioWorkletNode(context, "ring", {
      numberOfInputs: 0,
      outputChannelCount: [2],
    });
    node.port.onmessage = (event) => this.hear(event.data);
    node.connect(context.destination);
    this.context = context;
    this.node = node;
  }

  private hear(message: {
    type: string;
    stream: number;
    frames: number;
    underruns: number;
    peak: number;
    samples: Float32Array;
  }) {
    if (message.type === "captured") {
      for (const done of this.captures.splice(0)) done(message.samples);
      return;
    }
    if (message.stream !== this.stream) return;
    this.heardFrames = message.frames;
    this.heardWhen = performance.now();
    this.underruns = message.underruns;
    this.peak = message.peak;
    if (message.frames > 0) for (const go of this.waiting.splice(0)) go();
    this.onHeard(message.stream, message.frames);
  }

  begin(stream: number, from: number) {
    this.stream = stream;
    this.received = 0;
    this.heardFrames = 0;
    this.heardWhen = performance.now();
    this.marks = [{ frame: 0, at: from }];
    this.running = true;
    this.node?.port.postMessage({ type: "begin", stream });
  }

  take(stream: number, at: number, samples: Float32Array<ArrayBuffer>) {
    if (stream !== this.stream || !this.running) return;
    this.marks.push({ frame: this.received, at });
    if (this.marks.length > 64) this.marks.shift();
    this.received += samples.length / 2;
    this.node?.port.postMessage({ type: "samples", stream, samples }, [samples.buffer]);
  }

  /** The stream is over: play what is left of it. */
  end(stream: number) {
    if (stream !== this.stream) return;
    this.rest = this.position();
    this.running = false;
  }

  stop() {
    this.rest = this.position();
    this.running = false;
    this.stream = -1;
    this.node?.port.postMessage({ type: "begin", stream: -1 });
  }

  /** Throw away what waits to be played, for silence at once. */
  drop() {
    this.node?.port.postMessage({ type: "drop" });
  }

  moveTo(seconds: number) {
    this.rest = seconds;
    if (this.running) {
      // Until the jump arrives in the samples, the playhead already stands where it will be.
      this.marks = [{ frame: this.heardFrames, at: seconds }];
    }
  }

  /** The moment that is heard now, in seconds. */
  position(): number {
    if (!this.running) return this.rest;
    const ahead = Math.min((performance.now() - this.heardWhen) / 1000, 0.05);
    const frame = this.heardFrames === 0 ? 0 : this.heardFrames + ahead * RATE;
    let mark = this.marks[0];
    for (const candidate of this.marks) if (candidate.frame <= frame) mark = candidate;
    return mark ? mark.at + (frame - mark.frame) / RATE : this.rest;
  }

  /** Resolves once the stream that has begun is heard. */
  sounding(): Promise<void> {
    if (this.heardFrames > 0 && this.running) return Promise.resolve();
    return new Promise((resolve) => this.waiting.push(resolve));
  }

  /** The last samples that were played, left and right in turn; for tests and meters. */
  capture(): Promise<Float32Array> {
    return new Promise((resolve) => {
      this.captures.push(resolve);
      this.node?.port.postMessage({ type: "capture" });
    });
  }
}

export const player = new Player();

declare global {
  interface Window {
    caligo: { player: Player; loseConnection?: () => void };
  }
}
window.caligo = { player };
