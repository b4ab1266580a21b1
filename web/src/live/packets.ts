import type { Schemas } from "../api/client";

/** Binary messages of the socket, called packets: uint32 kind, uint32 header length, JSON header, data. */

export const AUDIO = 1;
export const TILE = 2;
export const CLOSER = 3;
export const TRAJECTORIES = 4;
export const SPECTRUM = 5;

export type AudioHeader = Schemas["AudioHeader"];
export type TrajectoriesHeader = Schemas["TrajectoriesHeader"];

/** A trajectory in short: middle, lowest and highest at each point. */
export interface Outline {
  value: Float32Array;
  low: Float32Array;
  high: Float32Array;
}

/** All trajectories over the whole length, or over a stretch of it. */
export interface Trajectories {
  start: number;
  end: number;
  modulators: Record<string, Outline>;
  parameters: Record<string, Outline>;
  /** The lowest and highest value over the sounding notes; NaN where none sounds. */
  spread: Record<string, [Float32Array, Float32Array]>;
  /** The routes' depths that all this was computed with, by their ids; none where all is still. */
  depths: Record<string, number>;
  /** The modulators that go from -1 to 1. */
  twoSided: string[];
}

/** The trajectories that a packet holds, each a view of its data. */
export function readTrajectories(header: TrajectoriesHeader, data: ArrayBuffer): Trajectories {
  const values = new Float32Array(data);
  let at = 0;
  const line = () => {
    at += header.points;
    return values.subarray(at - header.points, at);
  };
  const outlines = (names: string[]) =>
    Object.fromEntries(names.map((name) => [name, { value: line(), low: line(), high: line() }]));
  const modulators = outlines(header.modulators);
  const parameters = outlines(header.parameters);
  const spread = Object.fromEntries(
    header.spread.map((name): [string, [Float32Array, Float32Array]] => [name, [line(), line()]]),
  );
  const { start, end, depths, two_sided: twoSided } = header;
  return { start, end, modulators, parameters, spread, depths, twoSided };
}

function sameLine(before: Float32Array, after: Float32Array): boolean {
  if (before.length !== after.length) return false;
  // Bits, since a line holds NaN where nothing sounds.
  const [a, b] = [before, after].map((x) => new Uint32Array(x.buffer, x.byteOffset, x.length));
  return a?.every((bits, i) => bits === b?.[i]) ?? false;
}

function keptLines<T extends Outline | [Float32Array, Float32Array]>(
  before: Record<string, T>,
  after: Record<string, T>,
): Record<string, T> {
  const lines = (of: T) => Object.values(of) as Float32Array[];
  return Object.fromEntries(
    Object.entries(after).map(([name, now]) => {
      const then = before[name];
      const same = then && lines(then).every((line, i) => sameLine(line, lines(now)[i] ?? line));
      return [name, same ? then : now];
    }),
  );
}

/** `after`, with every line that equals one of `before` replaced by it, so that identity tells. */
export function keptTrajectories(before: Trajectories, after: Trajectories): Trajectories {
  if (before.start !== after.start || before.end !== after.end) return after;
  return {
    ...after,
    modulators: keptLines(before.modulators, after.modulators),
    parameters: keptLines(before.parameters, after.parameters),
    spread: keptLines(before.spread, after.spread),
  };
}

export interface Packet {
  kind: number;
  header: unknown;
  data: ArrayBuffer;
}

export function readPacket(buffer: ArrayBuffer): Packet {
  const view = new DataView(buffer);
  const kind = view.getUint32(0, true);
  const length = view.getUint32(4, true);
  const text = new TextDecoder().decode(new Uint8Array(buffer, 8, length));
  return { kind, header: JSON.parse(text), data: buffer.slice(8 + length) };
}
