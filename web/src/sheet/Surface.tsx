import { useEffect, useRef, useState } from "react";
import { clock } from "../document/values";
import { player } from "../live/audio";
import { seek, setLoop } from "../live/socket";
import { onPlayhead } from "../longview/playhead";
import { dragged } from "../longview/time-axis";
import { hold } from "../ui/hold";
import { fractionOf, inView, scrollBy, show, useSpan, useView, zoomBy } from "./view";

const KEY_STEPS: Record<string, number> = {
  ArrowLeft: -1,
  ArrowRight: 1,
  PageDown: -10,
  PageUp: 10,
};
const ZOOM = 1.6;

export function clampMoment(seconds: number, length: number) {
  return Math.min(length * 0.999, Math.max(0, seconds));
}

/** Where a click puts the playhead and a drag a loop; its keys move the playhead and the view. */
export function Surface({ length }: { length: number }) {
  const span = useSpan();
  const ref = useRef<HTMLDivElement>(null);
  const start = useRef<number | null>(null);
  const [draft, setDraft] = useState<[number, number] | null>(null);
  const at = (clientX: number) => {
    const box = ref.current?.getBoundingClientRect();
    if (!box) return 0;
    const fraction = Math.min(1, Math.max(0, (clientX - box.left) / box.width));
    return span[0] + fraction * (span[1] - span[0]);
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
      title="Click to put the playhead, drag to loop; + and − zoom, 0 shows all, < and > scroll"
      data-testid="long-view"
      className="absolute inset-0 cursor-crosshair touch-none"
      onPointerDown={(event) => {
        start.current = at(event.clientX);
        hold(event, () => {
          start.current = null;
          setDraft(null);
        });
      }}
      onPointerMove={(event) => {
        if (start.current !== null) {
          setDraft(dragged(start.current, at(event.clientX), length, span[1] - span[0]));
        }
      }}
      onPointerUp={(event) => {
        if (start.current === null) return;
        const loop = dragged(start.current, at(event.clientX), length, span[1] - span[0]);
        if (loop) {
          setLoop(loop);
          seek(loop[0]);
        } else seek(start.current);
      }}
      onKeyDown={(event) => {
        const step = KEY_STEPS[event.key];
        const here = player.position();
        if (step !== undefined) {
          seek(clampMoment(here + step * (event.shiftKey ? 10 : 1), length));
          follow();
        } else if (event.key === "Home") seek(0);
        else if (event.key === "End") seek(length * 0.999);
        else if (event.key === "Escape") setLoop(null);
        else if (event.key === "+" || event.key === "=") zoomBy(1 / ZOOM, here);
        else if (event.key === "-") zoomBy(ZOOM, here);
        else if (event.key === "0") show(null);
        else if (event.key === "<" || event.key === ",") scrollBy(-0.25);
        else if (event.key === ">" || event.key === ".") scrollBy(0.25);
        else return;
        event.preventDefault();
      }}
    >
      {draft && (
        <div
          className="absolute inset-y-0 bg-rose/15"
          style={{
            left: `${fractionOf(draft[0], span) * 100}%`,
            width: `${(fractionOf(draft[1], span) - fractionOf(draft[0], span)) * 100}%`,
          }}
        />
      )}
    </div>
  );
}

/** Bring the playhead back into view where it has left it. */
function follow() {
  const [from, to] = inView();
  const here = player.position();
  if (here < from || here > to) {
    const half = (to - from) / 2;
    show([Math.max(0, here - half), Math.min(useView.getState().length, here + half)]);
  }
}
