import { useMemo, useRef } from "react";
import type { Score } from "../api/client";
import { clock } from "../document/values";
import { rulerTimes } from "../longview/time-axis";
import { edit, useSession } from "../session/store";
import { hold } from "../ui/hold";
import { barLines, changesOf } from "./bars";
import { fractionOf, useSpan } from "./view";

const NO_MARKERS: Score["markers"] = [];
/** The fraction of the width that a time on the ruler takes up. */
const TIME_WIDTH = 0.035;

/** A marker: dragged with the mouse, or moved with the arrow keys. */
function Marker({ index, marker }: { index: number; marker: Score["markers"][number] }) {
  const span = useSpan();
  const drag = useRef<{ x: number; time: number; width: number } | null>(null);
  const length = useSession((s) => s.score?.length ?? 0);
  const fraction = fractionOf(marker.time, span);
  if (fraction < 0 || fraction > 1) return null;
  const move = (time: number, gesture: string) =>
    edit(
      "score",
      [
        {
          op: "replace",
          path: `/markers/${index}/time`,
          value: Number(Math.min(length, Math.max(0, time)).toFixed(3)),
        },
      ],
      `Move ${marker.name}`,
      gesture,
    );
  return (
    <button
      type="button"
      className="absolute -top-0.5 z-10 cursor-ew-resize touch-none whitespace-nowrap bg-fog px-0.5 text-xs font-bold"
      style={{ left: `calc(${fraction * 100}% + 2px)` }}
      aria-label={`Marker ${marker.name} at ${clock(marker.time, true)}`}
      title="Drag it, or move it with the arrow keys; Delete removes it"
      onPointerDown={(event) => {
        const box = event.currentTarget.parentElement?.getBoundingClientRect();
        drag.current = { x: event.clientX, time: marker.time, width: box?.width ?? 1 };
        hold(event, () => {
          drag.current = null;
        });
      }}
      onPointerMove={(event) => {
        const from = drag.current;
        if (!from || Math.abs(event.clientX - from.x) < 2) return;
        const by = ((event.clientX - from.x) / from.width) * (span[1] - span[0]);
        move(from.time + by, `marker ${marker.id}`);
      }}
      onKeyDown={(event) => {
        const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
        if (step) move(marker.time + step * (event.shiftKey ? 0.1 : 1), `marker ${marker.id}`);
        else if (event.key === "Delete" || event.key === "Backspace") {
          edit("score", [{ op: "remove", path: `/markers/${index}` }], `Remove ${marker.name}`);
        } else return;
        event.preventDefault();
        event.stopPropagation();
      }}
    >
      {marker.name}
    </button>
  );
}

/** Bar lines, and where tempo or metre change. */
function Bars() {
  const score = useSession((s) => s.score);
  const span = useSpan();
  const bars = useMemo(() => (score ? barLines(score, span) : []), [score, span]);
  if (!score) return null;
  const changes = changesOf(score);
  return (
    <>
      {bars.map((bar) => (
        <span
          key={bar.number}
          className="absolute bottom-0 h-[5px] border-l border-slate/50"
          style={{ left: `${fractionOf(bar.time, span) * 100}%` }}
        />
      ))}
      {changes
        .filter((c) => c.time >= span[0] && c.time <= span[1])
        .map((change) => (
          <span
            key={`${change.time} ${change.text}`}
            className="absolute top-0 whitespace-nowrap border-l border-slate pl-0.5 text-[10px] leading-none text-slate"
            style={{ left: `${fractionOf(change.time, span) * 100}%` }}
          >
            {change.text}
          </span>
        ))}
    </>
  );
}

/** Times, bars and markers over the view. */
export function Ruler() {
  const span = useSpan();
  const markers = useSession((s) => s.score?.markers) ?? NO_MARKERS;
  const seen = span[1] - span[0];
  // A marker's line would go through the time.
  const crossed = (at: number) =>
    markers.some((m) => m.time > at && m.time < at + TIME_WIDTH * seen);
  return (
    <div className="relative h-[26px]">
      {rulerTimes(seen, 9, span[0]).map((at) => (
        <div
          key={at}
          className="absolute top-0 h-[26px] border-l border-line pl-1 pt-[9px] text-xs text-slate"
          style={{ left: `${fractionOf(at, span) * 100}%` }}
        >
          {!crossed(at) && clock(at, seen < 8)}
        </div>
      ))}
      <Bars />
      {markers.map((marker, i) => (
        <Marker key={marker.id} marker={marker} index={i} />
      ))}
    </div>
  );
}
