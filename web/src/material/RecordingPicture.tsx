import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, bytes, taken } from "../api/client";
import { inkTable } from "../spectrogram/ink";
import { colour } from "../ui/colours";
import { hold } from "../ui/hold";
import { ink, usePainted } from "../ui/painted";
import { isRecording, type RecordingCard, useMaterial } from "./library";
import { choseFrom, choseTo, moved, type View, zoomed } from "./zoom";

const COLUMNS = 900;
const ROWS = 96;

/** What changes when a recording looks different: its steps. */
function useSteps(key: string): string {
  const card = useMaterial().data?.find((m) => m.card.key === key)?.card;
  return card && isRecording(card) ? JSON.stringify(card.steps) : "";
}

export function useOutline(key: string, start: number, end: number | null) {
  const steps = useSteps(key);
  return useQuery({
    queryKey: ["outline", key, steps, start, end],
    queryFn: () =>
      taken(
        api.GET("/api/material/{key}/outline", {
          params: { path: { key }, query: { start, end: end ?? 1e9, columns: COLUMNS } },
        }),
      ),
    placeholderData: (before) => before,
  });
}

/** A spectrogram as an image, in ink on paper. */
export function useSpectrogram(key: string, start: number, end: number | null) {
  const steps = useSteps(key);
  return useQuery({
    queryKey: ["spectrogram", key, steps, start, end],
    queryFn: async () => {
      const query = `start=${start}&end=${end ?? 1e9}&columns=${COLUMNS}&rows=${ROWS}`;
      const levels = new Uint8Array(await bytes(`/api/material/${key}/spectrogram?${query}`));
      const table = inkTable();
      const image = new ImageData(COLUMNS, ROWS);
      for (let r = 0; r < ROWS; r++) {
        for (let c = 0; c < COLUMNS; c++) {
          const level = levels[r * COLUMNS + c] ?? 0;
          const at = ((ROWS - 1 - r) * COLUMNS + c) * 4;
          for (let i = 0; i < 4; i++) image.data[at + i] = table[level * 4 + i] ?? 0;
        }
      }
      const canvas = document.createElement("canvas");
      canvas.width = COLUMNS;
      canvas.height = ROWS;
      canvas.getContext("2d")?.putImageData(image, 0, 0);
      return canvas;
    },
    placeholderData: (before) => before,
  });
}

export function drawOutline(
  context: CanvasRenderingContext2D,
  low: number[],
  high: number[],
  width: number,
  height: number,
  colour: string,
) {
  const loudest = Math.max(0.05, ...high.map(Math.abs), ...low.map(Math.abs));
  context.fillStyle = colour;
  const step = width / low.length;
  for (let i = 0; i < low.length; i++) {
    const top = height / 2 - ((high[i] ?? 0) / loudest) * (height / 2 - 2);
    const bottom = height / 2 - ((low[i] ?? 0) / loudest) * (height / 2 - 2);
    context.fillRect(i * step, top, step + 0.3, Math.max(0.7, bottom - top));
  }
}

/** Waveform and spectrogram of a recording, to zoom into and to choose a part of. */
export function RecordingPicture({
  card,
  view,
  onView,
}: {
  card: RecordingCard;
  view: View;
  onView: (view: View) => void;
}) {
  const outline = useOutline(card.key, view.start, view.end);
  const spectrogram = useSpectrogram(card.key, view.start, view.end);
  const box = useRef<HTMLDivElement>(null);
  const seconds = outline.data?.seconds ?? 0;
  const end = view.end ?? seconds;
  const span = Math.max(1e-6, end - view.start);
  useEffect(() => {
    if (seconds && seconds !== view.seconds) {
      onView({ start: 0, end: null, chosen: null, seconds });
    }
  }, [seconds, view.seconds, onView]);
  const wave = usePainted(
    (context, width, height) => {
      if (!outline.data) return;
      const { loop } = card;
      const at = (s: number) => ((s - view.start) / span) * width;
      if (loop) {
        context.fillStyle = ink(0.08);
        context.fillRect(at(loop.start), 0, at(loop.end) - at(loop.start), height);
      }
      drawOutline(context, outline.data.low, outline.data.high, width, height, colour("slate"));
      if (loop) {
        context.fillStyle = ink(0.9);
        for (const edge of [loop.start, loop.end]) context.fillRect(at(edge), 0, 1, height);
      }
    },
    [outline.data, card.loop, view.start, span],
  );
  const picture = usePainted(
    (context, width, height) => {
      if (spectrogram.data) context.drawImage(spectrogram.data, 0, 0, width, height);
    },
    [spectrogram.data],
  );
  const secondsAt = (clientX: number) => {
    const rect = box.current?.getBoundingClientRect();
    if (!rect) return 0;
    const fraction = Math.min(1, Math.max(0, (clientX - rect.left) / rect.width));
    return view.start + fraction * span;
  };
  const seen = { ...view, seconds };
  const zoom = (factor: number, around?: number) => onView(zoomed(seen, factor, around));
  const from = useRef<number | null>(null);
  const chosen = view.chosen;
  return (
    <div>
      {/* biome-ignore lint/a11y/useSemanticElements: a picture with its own keys has no element */}
      <div
        ref={box}
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: zoomed and chosen in by keyboard
        tabIndex={0}
        aria-label={`Waveform and spectrogram of ${card.name}, ${view.start.toFixed(2)} to ${end.toFixed(2)} s. Plus and minus zoom, arrows move, Shift and arrows choose.`}
        className="relative cursor-text touch-none border border-line bg-paper"
        onWheel={(event) =>
          seconds && zoom(event.deltaY > 0 ? 1.25 : 0.8, secondsAt(event.clientX))
        }
        onPointerDown={(event) => {
          if (event.button !== 0 || !seconds) return;
          from.current = secondsAt(event.clientX);
          hold(event, () => {
            from.current = null;
          });
          onView({ ...view, chosen: null });
        }}
        onPointerMove={(event) => {
          if (from.current === null) return;
          const to = secondsAt(event.clientX);
          const pair: [number, number] = [Math.min(from.current, to), Math.max(from.current, to)];
          if (pair[1] - pair[0] > span / 400) onView({ ...view, chosen: pair });
        }}
        onKeyDown={(event) => {
          // What is done before its length is known would be lost when it comes.
          if (!seconds) return;
          if (event.key === "+" || event.key === "=") zoom(0.7);
          else if (event.key === "-") zoom(1.4);
          else if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
            const by = event.key === "ArrowLeft" ? -1 : 1;
            if (event.shiftKey) onView(choseTo(seen, by));
            else if (event.altKey) onView(choseFrom(seen, by));
            else onView(moved(seen, by * 0.1));
          } else return;
          event.preventDefault();
        }}
      >
        <canvas ref={wave} className="block h-[110px] w-full" />
        <canvas ref={picture} className="block h-[130px] w-full border-t border-line" />
        {chosen && (
          <div
            className="pointer-events-none absolute inset-y-0 border-x border-rose bg-rose/10"
            style={{
              left: `${((chosen[0] - view.start) / span) * 100}%`,
              width: `${((chosen[1] - chosen[0]) / span) * 100}%`,
            }}
          />
        )}
      </div>
      <div className="mt-1 flex items-center gap-2">
        <span className="label flex-1" role="status">
          {view.start.toFixed(2)} to {end.toFixed(2)} s
          {chosen && `; chosen ${chosen[0].toFixed(3)} to ${chosen[1].toFixed(3)} s`}
        </span>
        <button type="button" className="button-plain" onClick={() => zoom(0.6)}>
          Closer
        </button>
        <button type="button" className="button-plain" onClick={() => zoom(1.7)}>
          Farther
        </button>
        <button
          type="button"
          className="button-plain"
          onClick={() => onView({ ...view, start: 0, end: null })}
        >
          Whole
        </button>
        <button
          type="button"
          className="button-plain"
          disabled={!chosen}
          onClick={() => chosen && onView({ ...view, start: chosen[0], end: chosen[1] })}
        >
          To selection
        </button>
      </div>
    </div>
  );
}
