import { useEffect, useRef } from "react";
import { player } from "../live/audio";
import { useLive } from "../live/socket";
import { onPlayhead } from "../longview/playhead";
import { useSession } from "../session/store";
import { fractionOf, inView, useSpan, useView } from "./view";

function Playhead() {
  const ref = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const place = (seconds: number) => {
      const fraction = fractionOf(seconds, inView());
      if (!ref.current) return;
      ref.current.style.visibility = fraction < 0 || fraction > 1 ? "hidden" : "visible";
      ref.current.style.transform = `translateX(${(fraction * 100).toFixed(3)}%)`;
    };
    const stop = onPlayhead(place);
    const unsubscribe = useView.subscribe(() => place(player.position()));
    return () => {
      stop();
      unsubscribe();
    };
  }, []);
  return (
    <div ref={ref} className="absolute inset-x-0 bottom-0 top-2.5">
      <div className="relative h-full w-0.5 bg-rose">
        <div className="absolute -left-[5px] top-0 border-x-[6px] border-t-[8px] border-x-transparent border-t-rose" />
      </div>
    </div>
  );
}

/** The moment under the pointer, as a faint line through all rows. */
function PointedLine() {
  const span = useSpan();
  const pointed = useView((s) => s.pointed);
  if (pointed === null) return null;
  return (
    <div
      className="absolute inset-y-0 top-[26px] w-px bg-slate/40"
      style={{ left: `${fractionOf(pointed, span) * 100}%` }}
    />
  );
}

function Loop() {
  const span = useSpan();
  const loop = useLive((s) => s.loop);
  if (!loop) return null;
  const [from, to] = loop.map((t) => Math.min(1, Math.max(0, fractionOf(t, span)))) as [
    number,
    number,
  ];
  return (
    <div
      className="absolute inset-y-0 top-[26px] border-x border-rose/70 bg-rose/10"
      data-testid="loop"
      style={{ left: `${from * 100}%`, width: `${(to - from) * 100}%` }}
    />
  );
}

/** What goes through all rows: markers, the loop, the playhead and the pointer. */
export function Overlay() {
  const span = useSpan();
  const markers = useSession((s) => s.score?.markers) ?? [];
  return (
    <div className="pointer-events-none absolute inset-y-0 left-[158px] right-4" aria-hidden>
      <div className="relative h-full overflow-hidden">
        {markers
          .filter((m) => m.time >= span[0] && m.time <= span[1])
          .map((marker) => (
            <div
              key={marker.id}
              className="absolute inset-y-0 border-l border-ink"
              style={{ left: `${fractionOf(marker.time, span) * 100}%` }}
            />
          ))}
        <Loop />
        <PointedLine />
        <Playhead />
      </div>
    </div>
  );
}
