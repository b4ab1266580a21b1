import type { ReactNode } from "react";
import { PlayheadLine } from "../longview/PlayheadLine";

function Caption({ children }: { children: string }) {
  return (
    <figcaption className="pointer-events-none absolute left-[3px] top-[2px] rounded-sm bg-paper/80 px-[3px] text-xs text-slate">
      {children}
    </figcaption>
  );
}

/** Two pictures side by side: now, and over the whole length with the playhead on it. */
export function NowAndThroughout({
  label,
  nowLabel = "Now",
  now,
  throughout,
}: {
  label: string;
  nowLabel?: string;
  now: ReactNode;
  throughout: ReactNode;
}) {
  return (
    <div
      className="col-span-full flex h-[92px] gap-2"
      role="img"
      aria-label={label}
      data-picture={label}
    >
      <figure className="relative w-[30%] border border-line bg-paper">
        {now}
        <Caption>{nowLabel}</Caption>
      </figure>
      <figure className="relative min-w-0 flex-1 border border-line bg-paper">
        {throughout}
        <Caption>Over the whole length</Caption>
        <PlayheadLine />
      </figure>
    </div>
  );
}
