import { useRef } from "react";
import { clock } from "../document/values";
import { player } from "../live/audio";
import { hold } from "../ui/hold";
import { inView, keptSpan, show, useView, zoomBy } from "./view";

const STEP = 2;

/** Buttons that zoom around the playhead where it is in view, else around the middle. */
export function ZoomButtons() {
  const span = useView((s) => s.span);
  const zoom = (factor: number) => {
    const [from, to] = inView();
    const here = player.position();
    zoomBy(factor, here >= from && here <= to ? here : (from + to) / 2);
  };
  return (
    <div className="flex items-center gap-0.5 text-xs">
      <button
        type="button"
        className="button-plain"
        aria-label="Zoom in"
        onClick={() => zoom(1 / STEP)}
      >
        +
      </button>
      <button
        type="button"
        className="button-plain"
        aria-label="Zoom out"
        disabled={!span}
        onClick={() => zoom(STEP)}
      >
        −
      </button>
      <button
        type="button"
        className="button-plain"
        aria-label="Show all"
        disabled={!span}
        onClick={() => show(null)}
      >
        all
      </button>
    </div>
  );
}

/** The whole cue in little, with what is in view; dragged to look elsewhere. */
export function Overview() {
  const span = useView((s) => s.span);
  const length = useView((s) => s.length);
  const bar = useRef<HTMLDivElement>(null);
  const drag = useRef<{ x: number; from: number } | null>(null);
  if (!span) return null;
  const size = span[1] - span[0];
  const move = (from: number) => show(keptSpan([from, from + size], length));
  return (
    <div ref={bar} className="absolute inset-x-0 -top-[3px] h-[7px] bg-line/60">
      <div
        role="scrollbar"
        tabIndex={0}
        aria-label="What is in view"
        aria-controls="sheet-rows"
        aria-valuemin={0}
        aria-valuemax={Math.round(length - size)}
        aria-valuenow={Math.round(span[0])}
        aria-valuetext={`${clock(span[0], true)} to ${clock(span[1], true)} of ${clock(length)}`}
        className="absolute inset-y-0 cursor-grab touch-none rounded-sm bg-slate"
        style={{
          left: `${(span[0] / length) * 100}%`,
          width: `max(8px, ${(size / length) * 100}%)`,
        }}
        onPointerDown={(event) => {
          drag.current = { x: event.clientX, from: span[0] };
          hold(
            event,
            () => {
              drag.current = null;
            },
            () => drag.current && move(drag.current.from),
          );
        }}
        onPointerMove={(event) => {
          const width = bar.current?.clientWidth ?? 1;
          const held = drag.current;
          if (held) move(held.from + ((event.clientX - held.x) / width) * length);
        }}
        onKeyDown={(event) => {
          const steps = { ArrowLeft: -0.2, ArrowRight: 0.2, PageUp: -1, PageDown: 1 };
          const step = steps[event.key as keyof typeof steps];
          if (step === undefined) return;
          move(span[0] + step * size);
          event.preventDefault();
        }}
      />
    </div>
  );
}
