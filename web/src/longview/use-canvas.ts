import { useEffect, useRef } from "react";
import { longView } from "../spectrogram/long-view";

const PAINT_MS = 250;

/** A canvas that is painted anew as the long view arrives, as its size changes, and on demand. */
export function useCanvas(
  height: number,
  draw: (context: CanvasRenderingContext2D, width: number) => void,
  /** What it is painted anew for at once. */
  again: unknown,
) {
  const ref = useRef<HTMLCanvasElement>(null);
  const drawing = useRef(draw);
  const atOnce = useRef<() => void>(() => undefined);
  drawing.current = draw;
  useEffect(() => {
    let waiting = false;
    const paint = () => {
      waiting = false;
      const canvas = ref.current;
      const context = canvas?.getContext("2d");
      if (!canvas || !context) return;
      const ratio = window.devicePixelRatio || 1;
      const width = canvas.clientWidth;
      if (canvas.width !== Math.round(width * ratio)) canvas.width = Math.round(width * ratio);
      if (canvas.height !== Math.round(height * ratio)) canvas.height = Math.round(height * ratio);
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      drawing.current(context, width);
    };
    const later = () => {
      if (waiting) return;
      waiting = true;
      requestAnimationFrame(paint);
    };
    atOnce.current = later;
    const observer = new ResizeObserver(later);
    if (ref.current) observer.observe(ref.current);
    // Tiles come many times a second; painting each would take time that listening needs.
    let timer = 0;
    const soon = () => {
      if (timer) return;
      timer = window.setTimeout(() => {
        timer = 0;
        later();
      }, PAINT_MS);
    };
    const unsubscribe = longView.subscribe(soon);
    later();
    return () => {
      observer.disconnect();
      unsubscribe();
      window.clearTimeout(timer);
    };
  }, [height]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: `again` says when, not what
  useEffect(() => atOnce.current(), [again]);
  return ref;
}
