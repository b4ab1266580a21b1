import { SELDOM, usePlayhead } from "./playhead";

/** The playhead over a small picture: a faint line. */
export function PlayheadLine() {
  const ref = usePlayhead<HTMLDivElement>(SELDOM);
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden" aria-hidden>
      <div ref={ref} className="h-full w-full">
        <div className="h-full w-px bg-rose/40" />
      </div>
    </div>
  );
}
