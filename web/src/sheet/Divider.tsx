import { useRef } from "react";
import { hold } from "../ui/hold";
import { LEAST_HEIGHT, setHeight, useLayout } from "./layout";

const STEP = 24;

/** The lower edge of the sheet: dragged, or moved with the arrow keys. */
export function Divider({ most }: { most: number }) {
  const height = useLayout((s) => s.height);
  const drag = useRef<{ y: number; height: number } | null>(null);
  return (
    // biome-ignore lint/a11y/useSemanticElements: a rule cannot be dragged
    <div
      role="separator"
      tabIndex={0}
      aria-label="Height of the sheet"
      aria-orientation="horizontal"
      aria-valuemin={LEAST_HEIGHT}
      aria-valuemax={most}
      aria-valuenow={Math.min(height, most)}
      className="mt-auto h-[5px] shrink-0 cursor-ns-resize touch-none border-b border-line hover:bg-line"
      onPointerDown={(event) => {
        drag.current = { y: event.clientY, height: Math.min(height, most) };
        hold(
          event,
          () => {
            drag.current = null;
          },
          () => setHeight(drag.current?.height ?? height),
        );
      }}
      onPointerMove={(event) => {
        const from = drag.current;
        if (from) setHeight(Math.min(most, from.height + event.clientY - from.y));
      }}
      onKeyDown={(event) => {
        const step = { ArrowUp: -STEP, ArrowDown: STEP }[event.key];
        if (!step) return;
        setHeight(Math.min(most, height + step));
        event.preventDefault();
      }}
    />
  );
}
