import { useEffect, useRef, useState } from "react";
import type { Score } from "../api/client";
import { clock } from "../document/values";
import { useSession } from "../session/store";
import { player } from "../stage/audio";
import { COLUMNS, longView } from "../stage/long-view";
import { seek, setLoop, useStage } from "../stage/socket";
import { onPlayhead, usePlayhead } from "./playhead";
import { dragged, rulerTimes } from "./time-axis";

const FREQUENCIES: [number, string][] = [
  [8000, "8 k"],
  [2000, "2 k"],
  [500, "500"],
  [125, "125"],
];
const SPECTRUM = 186;
const LANE = 26;
const PAINT_MS = 250;
const QUIETEST = -48;
const LOUDEST = -14;

function useCanvas(
  height: number,
  draw: (context: CanvasRenderingContext2D, width: number) => void,
) {
  const ref = useRef<HTMLCanvasElement>(null);
  const drawing = useRef(draw);
  drawing.current = draw;
  useEffect(() => {
    let waiting = false;
    const paint = () => {
      waiting = false;
      const canvas = ref.current;
      const context = canvas?.getContext("2d");
      if (!canvas || !context) return;
      const ratio = window.devicePixelRatio || 1;
      const width = canvas.clientWidth;
      if (canvas.width !== Math.round(width * ratio)) canvas.width = Math.round(width * ratio);
      if (canvas.height !== Math.round(height * ratio)) canvas.height = Math.round(height * ratio);
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      drawing.current(context, width);
    };
    const later = () => {
      if (waiting) return;
      waiting = true;
      requestAnimationFrame(paint);
    };
    const observer = new ResizeObserver(later);
    if (ref.current) observer.observe(ref.current);
    // Tiles come many times a second; painting each would take time that listening needs.
    let timer = 0;
    const soon = () => {
      if (timer) return;
      timer = window.setTimeout(() => {
        timer = 0;
        later();
      }, PAINT_MS);
    };
    const unsubscribe = longView.subscribe(soon);
    later();
    return () => {
      observer.disconnect();
      unsubscribe();
      window.clearTimeout(timer);
    };
  }, [height]);
  return ref;
}

function Spectrum() {
  const ref = useCanvas(SPECTRUM, (context, width) => {
    context.imageSmoothingEnabled = true;
    context.drawImage(longView.canvas, 0, 0, width, SPECTRUM);
    if (longView.fine < COLUMNS) {
      // What is not exact yet is covered by a thin veil.
      const from = (longView.fine / COLUMNS) * width;
      context.fillStyle = "rgb(236 241 242 / 0.35)";
      context.fillRect(from, 0, width - from, SPECTRUM);
      context.fillStyle = "#4a6470";
      context.fillRect(0, SPECTRUM - 2, from, 2);
    }
  });
  return <canvas ref={ref} className="block w-full" style={{ height: SPECTRUM }} aria-hidden />;
}

/** The mean of what `scale` makes of the columns around one, so that beating does not flicker. */
function smoothed(
  values: Float32Array,
  column: number,
  reach: number,
  scale: (v: number) => number,
) {
  let sum = 0;
  let count = 0;
  for (let i = Math.max(0, column - reach); i <= Math.min(COLUMNS - 1, column + reach); i++) {
    sum += scale(values[i] ?? 0);
    count++;
  }
  return sum / count;
}

function Lane({
  values,
  scale,
  reach,
}: {
  values: Float32Array;
  scale: (value: number) => number;
  reach: number;
}) {
  const ref = useCanvas(LANE, (context, width) => {
    context.clearRect(0, 0, width, LANE);
    context.fillStyle = "#738690";
    context.beginPath();
    context.moveTo(0, LANE - 2);
    for (let x = 0; x <= width; x++) {
      const column = Math.min(COLUMNS - 1, Math.floor((x / width) * COLUMNS));
      context.lineTo(x, LANE - 2 - smoothed(values, column, reach, scale) * (LANE - 5));
    }
    context.lineTo(width, LANE - 2);
    context.fill();
  });
  return <canvas ref={ref} className="block w-full" style={{ height: LANE }} aria-hidden />;
}

const loudnessScale = (value: number) =>
  Math.min(1, Math.max(0, (value - QUIETEST) / (LOUDEST - QUIETEST)));
const widthScale = (value: number) => Math.min(1, value);

function HeldNotes() {
  const score = useSession((s) => s.score);
  if (!score) return null;
  const pitches = [...new Set(score.notes.map((n) => n.pitch))].sort((a, b) => b - a);
  const height = Math.min(7, 30 / Math.max(pitches.length, 1));
  return (
    <svg
      className="block w-full"
      height={32}
      preserveAspectRatio="none"
      role="img"
      viewBox={`0 0 ${score.length} 32`}
      aria-label={`${score.notes.length} held notes`}
    >
      {score.notes.map((note) => (
        <rect
          key={note.id}
          x={note.start}
          y={pitches.indexOf(note.pitch) * height + 1}
          width={note.length}
          height={Math.max(1.5, height - 2.5)}
          fill="#3d6480"
          opacity={0.45 + (0.55 * note.velocity) / 127}
        />
      ))}
    </svg>
  );
}

const NO_MARKERS: Score["markers"] = [];
/** The share of the width that a time on the ruler takes up. */
const TIME_WIDTH = 0.03;

function Ruler({ length }: { length: number }) {
  const markers = useSession((s) => s.score?.markers) ?? NO_MARKERS;
  // A marker's line would go through the time.
  const crossed = (at: number) =>
    markers.some((m) => m.time > at && m.time < at + TIME_WIDTH * length);
  return (
    <>
      {rulerTimes(length).map((at) => (
        <div
          key={at}
          className="absolute top-0 h-[26px] border-l border-line pl-1 pt-[9px] text-xs text-slate"
          style={{ left: `${(at / length) * 100}%` }}
        >
          {!crossed(at) && clock(at)}
        </div>
      ))}
      {markers.map((marker) => (
        <div
          key={marker.id}
          className="pointer-events-none absolute inset-y-0 border-l border-ink"
          style={{ left: `${(marker.time / length) * 100}%` }}
        >
          <span className="absolute left-0.5 -top-0.5 whitespace-nowrap bg-fog px-0.5 text-xs font-bold">
            {marker.name}
          </span>
        </div>
      ))}
    </>
  );
}

function LoopSpan({ length }: { length: number }) {
  const loop = useStage((s) => s.loop);
  if (!loop) return null;
  const [from, to] = loop;
  return (
    <div
      className="pointer-events-none absolute inset-y-0 border-x border-rose/70 bg-rose/10"
      data-testid="loop"
      style={{ left: `${(from / length) * 100}%`, width: `${((to - from) / length) * 100}%` }}
    />
  );
}

const KEY_STEPS: Record<string, number> = {
  ArrowLeft: -1,
  ArrowRight: 1,
  PageDown: -10,
  PageUp: 10,
};

/** The playhead, its drag to a loop, and the keys that move it. */
function Surface({ length }: { length: number }) {
  const ref = useRef<HTMLDivElement>(null);
  const start = useRef<number | null>(null);
  const [draft, setDraft] = useState<[number, number] | null>(null);
  const at = (clientX: number) => {
    const box = ref.current?.getBoundingClientRect();
    if (!box) return 0;
    return Math.min(1, Math.max(0, (clientX - box.left) / box.width)) * length;
  };
  useEffect(
    () =>
      onPlayhead((seconds) => {
        ref.current?.setAttribute("aria-valuenow", seconds.toFixed(1));
        ref.current?.setAttribute("aria-valuetext", `${clock(seconds)} of ${clock(length)}`);
      }),
    [length],
  );
  return (
    <div
      ref={ref}
      role="slider"
      tabIndex={0}
      aria-label="Playhead"
      aria-valuemin={0}
      aria-valuemax={length}
      aria-valuenow={0}
      data-testid="long-view"
      className="absolute inset-0 cursor-crosshair touch-none"
      onPointerDown={(event) => {
        start.current = at(event.clientX);
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={(event) => {
        if (start.current !== null) setDraft(dragged(start.current, at(event.clientX), length));
      }}
      onPointerUp={(event) => {
        if (start.current === null) return;
        const loop = dragged(start.current, at(event.clientX), length);
        if (loop) {
          setLoop(loop);
          seek(loop[0]);
        } else seek(start.current);
        start.current = null;
        setDraft(null);
      }}
      onKeyDown={(event) => {
        const step = KEY_STEPS[event.key];
        if (step !== undefined)
          seek(clamp(player.position() + step * (event.shiftKey ? 10 : 1), length));
        else if (event.key === "Home") seek(0);
        else if (event.key === "End") seek(length * 0.999);
        else if (event.key === "Escape") setLoop(null);
        else return;
        event.preventDefault();
      }}
    >
      {draft && (
        <div
          className="absolute inset-y-0 bg-rose/15"
          style={{
            left: `${(draft[0] / length) * 100}%`,
            width: `${((draft[1] - draft[0]) / length) * 100}%`,
          }}
        />
      )}
    </div>
  );
}

function Playhead() {
  const ref = usePlayhead<HTMLDivElement>();
  return (
    <div ref={ref} className="pointer-events-none absolute inset-x-0 bottom-0 top-2.5" aria-hidden>
      <div className="relative h-full w-0.5 bg-rose">
        <div className="absolute -left-[5px] top-0 border-x-[6px] border-t-[8px] border-x-transparent border-t-rose" />
      </div>
    </div>
  );
}

function clamp(seconds: number, length: number) {
  return Math.min(length * 0.999, Math.max(0, seconds));
}

export function LongView() {
  const length = useSession((s) => s.score?.length ?? 240);
  return (
    <section aria-label="Long view" className="flex shrink-0 border-b border-line pr-4 pt-1">
      <div className="relative w-20 shrink-0 pl-4 text-xs text-slate">
        {FREQUENCIES.map(([hertz, name]) => (
          <span
            key={hertz}
            className="absolute -translate-y-1/2"
            style={{ top: 26 + longView.heightOf(hertz) * SPECTRUM }}
          >
            {name}
          </span>
        ))}
        <span className="absolute" style={{ top: 26 + SPECTRUM + 7 }}>
          Loudness
        </span>
        <span className="absolute" style={{ top: 26 + SPECTRUM + LANE + 7 }}>
          Width
        </span>
        <span className="absolute" style={{ top: 26 + SPECTRUM + 2 * LANE + 9 }}>
          Held notes
        </span>
      </div>
      <div className="relative min-w-0 flex-1">
        <div className="h-[26px]" />
        <Spectrum />
        <Lane values={longView.loudness} scale={loudnessScale} reach={1} />
        <Lane values={longView.width} scale={widthScale} reach={8} />
        <HeldNotes />
        <Ruler length={length} />
        <LoopSpan length={length} />
        <Playhead />
        <Surface length={length} />
      </div>
    </section>
  );
}
