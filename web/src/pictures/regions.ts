/** Regions of time and frequency on a recording's spectrogram: where they lie, how they move. */

export const LOW = 30;
export const HIGH = 20_000;
const LOWEST = 20;
const HIGHEST = 24_000;

export interface Box {
  start: number;
  end: number;
  low: number;
  high: number;
}

export interface Point {
  /** Shares of the picture from its left and from its top. */
  x: number;
  y: number;
}

/** How far from the top a frequency lies, as a fraction. */
export function height(hertz: number): number {
  return 1 - Math.log(hertz / LOW) / Math.log(HIGH / LOW);
}

export function hertzAt(fraction: number): number {
  return LOW * (HIGH / LOW) ** (1 - fraction);
}

/** The region between two corners, whichever they are. */
export function boxFrom(a: Point, b: Point, seconds: number): Box {
  return {
    start: Number((Math.min(a.x, b.x) * seconds).toFixed(3)),
    end: Number((Math.max(a.x, b.x) * seconds).toFixed(3)),
    low: Math.round(hertzAt(Math.max(a.y, b.y))),
    high: Math.round(hertzAt(Math.min(a.y, b.y))),
  };
}

function inRange(hertz: number): number {
  return Math.round(Math.min(HIGHEST, Math.max(LOWEST, hertz)));
}

/** A region moved, or resized at its end and top, by an arrow key; null for other keys. */
export function nudged(box: Box, key: string, resize: boolean, seconds: number): Box | null {
  const time = seconds / 50;
  const pitch = 2 ** (1 / 6);
  const across = key === "ArrowLeft" ? -time : key === "ArrowRight" ? time : 0;
  const up = key === "ArrowUp" ? pitch : key === "ArrowDown" ? 1 / pitch : 1;
  if (across === 0 && up === 1) return null;
  const start = resize ? box.start : Math.max(0, box.start + across);
  const end = Math.max(start + 0.01, box.end + across);
  return {
    start: Number(start.toFixed(3)),
    end: Number(end.toFixed(3)),
    low: resize ? box.low : inRange(box.low * up),
    high: inRange(box.high * up),
  };
}

/** Where a region is drawn, in percent of the picture. */
export function placed(box: Box, seconds: number) {
  const left = Math.min(box.start, seconds) / seconds;
  const right = Math.min(box.end, seconds) / seconds;
  const top = Math.max(0, height(box.high));
  return {
    left: `${left * 100}%`,
    width: `${(right - left) * 100}%`,
    top: `${top * 100}%`,
    height: `${Math.max(0.01, height(box.low) - top) * 100}%`,
  };
}
