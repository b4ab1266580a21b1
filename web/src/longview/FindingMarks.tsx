import { useLive } from "../live/socket";
import { longView } from "../spectrogram/long-view";

/** Marks of what stands out at the edge of the picture; a line where one is pointed at. */
export function FindingMarks({ height }: { height: number }) {
  const found = useLive((s) => s.summary?.findings);
  const pointed = useLive((s) => s.pointedOut);
  if (!found) return null;
  return (
    <div className="pointer-events-none absolute inset-x-0 top-0" style={{ height }} aria-hidden>
      {found.map(({ kind, hertz }) => {
        if (hertz === 0) return null; // it is everywhere
        const on = pointed === hertz;
        return (
          <span
            key={`${kind} ${hertz}`}
            data-finding={kind}
            data-pointed={on}
            className={`absolute right-0 h-[3px] -translate-y-1/2 ${on ? "w-full bg-rose/60" : "w-3 bg-rose"}`}
            style={{ top: longView.heightOf(hertz) * height }}
          />
        );
      })}
    </div>
  );
}
