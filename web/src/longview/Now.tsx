import { useEffect, useRef } from "react";
import { keyName, shownNumber } from "../document/values";
import { player } from "../live/audio";
import { useLive } from "../live/socket";
import { watchedSpectrum } from "../live/watched-spectrum";
import { longView, ROWS } from "../spectrogram/long-view";
import { colour } from "../ui/colours";
import { ink } from "../ui/painted";
import { type Axis, hertzOf, levelsOf, Peaks, reach } from "./analysed";

/** How often it is painted: more would take time that listening needs. */
const PAINT_MS = 70;
/** How often the strongest frequency is said. */
const UPDATE_MS = 500;
const WIDTH = 104;
/** How strong the lines of held peaks are. */
const HELD = 0.55;

/**
 * What is heard now, or one slot of the chain, beside the long view and on its frequency axis:
 * the left side grows to the left of the middle line, the right side to the right; thin lines are
 * the peaks held.
 */
export function Now({ height }: { height: number }) {
  const playing = useLive((s) => s.playing);
  const watched = useLive((s) => s.watched);
  const canvas = useRef<HTMLCanvasElement>(null);
  const word = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!playing || !context || !canvas.current) return;
    const ratio = window.devicePixelRatio || 1;
    canvas.current.width = WIDTH * ratio;
    canvas.current.height = height * ratio;
    const axis: Axis = { rows: ROWS, low: longView.low, high: longView.high };
    const peaks = [new Peaks(ROWS), new Peaks(ROWS)];
    let last = performance.now();
    let updated = 0;
    const paint = () => {
      const heard = watched ? watchedSpectrum.at(player.position(), watched) : player.spectrum();
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.clearRect(0, 0, WIDTH, height);
      if (!heard) return;
      const now = performance.now();
      const levels = heard.sides.map((bins) => levelsOf(bins, heard.binHertz, axis));
      levels.forEach((side, i) => {
        const held = peaks[i];
        held?.take(side, now, now - last);
        paintSide(context, side, height, i === 0 ? -1 : 1);
        if (held) traceSide(context, held.levels, height, i === 0 ? -1 : 1);
      });
      last = now;
      if (now - updated > UPDATE_MS && word.current) {
        updated = now;
        word.current.textContent = strongest(levels, axis);
      }
    };
    const timer = window.setInterval(paint, PAINT_MS);
    return () => {
      window.clearInterval(timer);
      context.clearRect(0, 0, WIDTH, height);
      if (word.current) word.current.textContent = "";
    };
  }, [playing, height, watched]);
  return (
    <div className="absolute top-0 left-3">
      <canvas
        ref={canvas}
        role="img"
        aria-label="Spectrum now, left and right of the middle line"
        data-testid="now"
        style={{ width: WIDTH, height }}
      />
      <span ref={word} className="absolute bottom-0 left-0 bg-fog/80 text-xs" role="note" />
    </div>
  );
}

/** The strongest frequency of both sides in words. */
function strongest(sides: Float32Array[], axis: Axis): string {
  let [row, level] = [0, Number.NEGATIVE_INFINITY];
  for (const side of sides) {
    side.forEach((value, i) => {
      if (value > level) [row, level] = [i, value];
    });
  }
  const hertz = hertzOf(row, axis);
  if (reach(level) === 0) return "silent";
  const key = Math.round(69 + 12 * Math.log2(hertz / 440));
  return `${Math.round(hertz)} Hz ${keyName(key)} ${shownNumber(level, 0)} dB`;
}

/** A row's distance from the top. */
const topOf = (row: number, height: number) => (1 - (row + 0.5) / ROWS) * height;

function paintSide(
  context: CanvasRenderingContext2D,
  levels: Float32Array,
  height: number,
  direction: 1 | -1,
) {
  context.fillStyle = colour("slate");
  context.beginPath();
  context.moveTo(WIDTH / 2, height);
  levels.forEach((level, row) => {
    context.lineTo((WIDTH / 2) * (1 + direction * reach(level)), topOf(row, height));
  });
  context.lineTo(WIDTH / 2, 0);
  context.fill();
}

function traceSide(
  context: CanvasRenderingContext2D,
  levels: Float32Array,
  height: number,
  direction: 1 | -1,
) {
  context.strokeStyle = ink(HELD);
  context.lineWidth = 0.75;
  context.beginPath();
  levels.forEach((level, row) => {
    context.lineTo((WIDTH / 2) * (1 + direction * reach(level)), topOf(row, height));
  });
  context.stroke();
}
