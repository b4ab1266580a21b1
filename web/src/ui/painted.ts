import { useEffect, useRef } from "react";
import { channels } from "./colours";

export type Paint = (context: CanvasRenderingContext2D, width: number, height: number) => void;

/** A canvas that is painted again when `what` or its size changes, in its own resolution. */
export function usePainted(paint: Paint, what: unknown[]) {
  const ref = useRef<HTMLCanvasElement>(null);
  const newest = useRef(paint);
  newest.current = paint;
  const paintSoon = () => {
    const canvas = ref.current;
    if (!canvas) return;
    let waiting = 0;
    const now = () => {
      waiting = 0;
      const context = canvas.getContext("2d");
      const { clientWidth: width, clientHeight: height } = canvas;
      if (!context || width === 0) return;
      const ratio = window.devicePixelRatio || 1;
      canvas.width = Math.round(width * ratio);
      canvas.height = Math.round(height * ratio);
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      newest.current(context, width, height);
    };
    const soon = () => {
      if (!waiting) waiting = requestAnimationFrame(now);
    };
    const observer = new ResizeObserver(soon);
    observer.observe(canvas);
    soon();
    return () => {
      observer.disconnect();
      cancelAnimationFrame(waiting);
    };
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: the caller says what it depends on
  useEffect(paintSoon, what);
  return ref;
}

/** Ink of a strength from 0 to 1. */
export function ink(strength: number): string {
  return `rgb(${channels("ink").join(" ")} / ${Math.min(1, Math.max(0, strength)).toFixed(3)})`;
}
