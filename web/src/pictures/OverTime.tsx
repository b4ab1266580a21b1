import type { ReactNode } from "react";
import { PlayheadLine } from "../longview/PlayheadLine";

/** Two pictures side by side: now, and over the whole length with the playhead on it. */
export function NowAndThroughout({
  label,
  now,
  throughout,
}: {
  label: string;
  now: ReactNode;
  throughout: ReactNode;
}) {
  return (
    <div
      className="col-span-4 flex h-[92px] gap-2"
      role="img"
      aria-label={label}
      data-picture={label}
    >
      <figure className="relative w-[30%] border border-line bg-paper">
        <figcaption className="pointer-events-none absolute left-[6px] top-[2px] text-xs text-slate">
          Now
        </figcaption>
        {now}
      </figure>
      <figure className="relative min-w-0 flex-1 border border-line bg-paper">
        <figcaption className="pointer-events-none absolute left-[6px] top-[2px] text-xs text-slate">
          Over the whole length
        </figcaption>
        {throughout}
        <PlayheadLine />
      </figure>
    </div>
  );
}
