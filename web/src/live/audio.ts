/** Playing: the audio worklet, and where the playhead is by what it reports. */

import workletUrl from "./ring-worklet.ts?worker&url";

const RATE = 48_000;
/** The longest time for which the playhead goes on by itself between two reports. */
const AHEAD = 0.06;
/** Samples of the spectrum that is heard now: 171 ms. */
const ANALYSED = 8192;
/** Time constant, in seconds, of a change of gain. */
const GLIDE = 0.03;

interface Report {
  type: "heard" | "captured";
  stream: number;
  frames: number;
  position: number;
  underruns: number;
  peak: number;
  samples: Float32Array;
}

export class Player {
  /** Receives the port by which samples reach the worklet, once there is one. */
  onPort: (port: MessagePort) => void = () => undefined;
  private context: AudioContext | null = null;
  private node: AudioWorkletNode | null = null;
  private gain: GainNode | null = null;
  private analysers: AnalyserNode[] = [];
  private decibels = 0;
  private making: Promise<void> | null = null;
  private stream = -1;
  private heardAt = 0;
  private heardWhen = 0;
  private moved = 0;
  private rest = 0;
  private running = false;
  private captures: ((samples: Float32Array) => void)[] = [];
  private waiting: (() => void)[] = [];
  frames = 0;
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
    node.port.onmessage = (event: MessageEvent<Report>) => this.hear(event.data);
    const gain = new GainNode(context);
    node.connect(gain).connect(context.destination);
    const sides = new ChannelSplitterNode(context, { numberOfOutputs: 2 });
    gain.connect(sides);
    this.analysers = [0, 1].map((side) => {
      const analyser = new AnalyserNode(context, { fftSize: ANALYSED, smoothingTimeConstant: 0.4 });
      sides.connect(analyser, side);
      return analyser;
    });
    this.gain = gain;
    this.setGain(this.decibels);
    const channel = new MessageChannel();
    node.port.postMessage({ type: "connect", port: channel.port1 }, [channel.port1]);
    this.onPort(channel.port2);
    this.context = context;
    this.node = node;
  }

  private hear(report: Report) {
    if (report.type === "captured") {
      for (const done of this.captures.splice(0)) done(report.samples);
      return;
    }
    if (report.stream !== this.stream) return;
    this.frames = report.frames;
    this.underruns = report.underruns;
    this.peak = report.peak;
    const now = performance.now();
    // Right after a jump, reports still tell of what was on its way before it.
    if (now - this.moved > 250 || Math.abs(report.position - this.rest) < 0.5) {
      this.heardAt = report.position;
      this.heardWhen = now;
      this.moved = 0;
    }
    for (const go of this.waiting.splice(0)) go();
  }

  begin(stream: number, from: number) {
    this.stream = stream;
    this.frames = 0;
    this.heardAt = from;
    this.heardWhen = performance.now() + 1000;
    this.moved = 0;
    this.running = true;
  }

  stop() {
    this.rest = this.position();
    this.running = false;
    this.stream = -1;
  }

  /** Make all that is heard so many decibels louder, smoothly; for comparing. */
  setGain(decibels: number) {
    this.decibels = decibels;
    const { gain, context } = this;
    if (gain && context) {
      gain.gain.setTargetAtTime(10 ** (decibels / 20), context.currentTime, GLIDE);
    }
  }

  /** Silence at once: nothing is played that was made before the server knows of it. */
  panic() {
    this.node?.port.postMessage({ type: "panic" });
  }

  moveTo(seconds: number) {
    this.rest = seconds;
    this.heardAt = seconds;
    this.heardWhen = performance.now();
    this.moved = this.running ? this.heardWhen : 0;
  }

  /** The moment that is heard now, in seconds. */
  position(): number {
    if (!this.running) return this.rest;
    const since = (performance.now() - this.heardWhen) / 1000;
    return this.heardAt + Math.min(AHEAD, Math.max(0, since));
  }

  /** Resolves once the stream that has begun is heard. */
  sounding(): Promise<void> {
    if (this.frames > 0 && this.running) return Promise.resolve();
    return new Promise((resolve) => this.waiting.push(resolve));
  }

  /** What is heard now: the level of every bin in dB, left and right; none before it sounds. */
  spectrum(): { binHertz: number; sides: Float32Array[] } | null {
    if (!this.running || this.analysers.length === 0) return null;
    const sides = this.analysers.map((analyser) => {
      const bins = new Float32Array(analyser.frequencyBinCount);
      analyser.getFloatFrequencyData(bins);
      return bins;
    });
    return { binHertz: RATE / ANALYSED, sides };
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
