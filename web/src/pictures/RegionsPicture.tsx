import { useMemo, useRef, useState } from "react";
import type { Layer } from "../api/client";
import { addItem, removeItem } from "../document/edits";
import { sourcePointer, sourcesOf } from "../document/sources";
import { useOutline, useSpectrogram } from "../material/RecordingPicture";
import { change } from "../session/change";
import { useLayer } from "../session/hooks";
import { edit } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { hold } from "../ui/hold";
import { ink, usePainted } from "../ui/painted";
import { useMoment } from "./now";
import { cell, type Packed, unpacked } from "./packed";
import { type Box, boxFrom, nudged, type Point, placed } from "./regions";

const SMALLEST = 6;

type Item = Layer["source"]["items"][number];

function boxOf(item: Item): Box {
  const { start, end, low, high } = item.params;
  return { start: Number(start), end: Number(end), low: Number(low), high: Number(high) };
}

/** The recording's spectrogram: where it is read, and regions that are drawn, kept or removed. */
export function RegionsPicture({
  places,
  length,
  index,
  number,
  recording,
}: {
  places: Packed;
  length: number;
  index: number;
  number: number;
  recording: string;
}) {
  const catalogue = useCatalogue();
  const layer = useLayer(index);
  const grid = useMemo(() => unpacked(places), [places]);
  const moment = useMoment(grid.columns, length);
  const spectrogram = useSpectrogram(recording, 0, null);
  const outline = useOutline(recording, 0, null);
  const seconds = outline.data?.seconds ?? 1;
  const area = useRef<HTMLDivElement>(null);
  const [drawing, setDrawing] = useState<Box | null>(null);
  const from = useRef<Point | null>(null);
  const regions = ((layer && sourcesOf(layer)[number]?.items) ?? [])
    .map((item, i) => ({ item, i }))
    .filter(({ item }) => item.kind === "region");
  const picture = usePainted(
    (context, width, tall) => {
      if (spectrogram.data) context.drawImage(spectrogram.data, 0, 0, width, tall);
      // Along the top: where it reads over the whole length, the more often the darker.
      context.fillStyle = ink(0.16);
      for (let m = 0; m < grid.columns; m++) {
        const place = cell(grid, 0, m);
        if (place >= 0) context.fillRect(place * width - 1, 0, 2, 4);
      }
    },
    [spectrogram.data, grid],
  );
  const at = (event: React.PointerEvent) => {
    const rect = area.current?.getBoundingClientRect();
    if (!rect) return { x: 0, y: 0 };
    return {
      x: Math.min(1, Math.max(0, (event.clientX - rect.left) / rect.width)),
      y: Math.min(1, Math.max(0, (event.clientY - rect.top) / rect.height)),
    };
  };
  const add = (box: Box) =>
    change("Draw a region", (sound) => {
      const here = sound.layers[index];
      return here ? addItem(catalogue, here, index, "region", { ...box }, number) : [];
    });
  const set = (i: number, box: Box, label: string) =>
    edit(
      "sound",
      (Object.keys(box) as (keyof Box)[]).map((key) => ({
        op: "replace" as const,
        path: `${sourcePointer(index, number)}/items/${i}/params/${key}`,
        value: box[key],
      })),
      label,
      `region ${i}`,
    );
  const place = cell(grid, 0, moment);
  return (
    <div className="col-span-full">
      <div
        ref={area}
        className="relative h-[128px] cursor-crosshair touch-none border border-line bg-paper"
        data-picture="Regions"
        onPointerDown={(event) => {
          if (event.button !== 0 || event.target !== event.currentTarget) return;
          from.current = at(event);
          hold(event, () => {
            from.current = null;
            setDrawing(null);
          });
        }}
        onPointerMove={(event) => {
          if (from.current) setDrawing(boxFrom(from.current, at(event), seconds));
        }}
        onPointerUp={(event) => {
          const rect = event.currentTarget.getBoundingClientRect();
          const begun = from.current;
          if (!begun) return;
          const end = at(event);
          const wide = Math.abs(end.x - begun.x) * rect.width;
          const tall = Math.abs(end.y - begun.y) * rect.height;
          if (wide > SMALLEST && tall > SMALLEST) add(boxFrom(begun, end, seconds));
        }}
      >
        <canvas ref={picture} className="pointer-events-none absolute inset-0 h-full w-full" />
        {regions.map(({ item, i }, n) => {
          const box = boxOf(item);
          const kept = item.params.does === "keep";
          return (
            <button
              key={item.id}
              type="button"
              aria-label={`Region ${n + 1}, ${kept ? "kept" : "removed"}: ${box.start} to ${box.end} s, ${box.low} to ${box.high} Hz. Arrows move, Shift and arrows resize, Delete removes, Enter keeps or removes.`}
              className={`absolute border ${
                kept ? "border-ink bg-transparent" : "border-dashed border-ink bg-paper/75"
              }`}
              style={placed(box, seconds)}
              onClick={() =>
                edit(
                  "sound",
                  [
                    {
                      op: "replace",
                      path: `${sourcePointer(index, number)}/items/${i}/params/does`,
                      value: kept ? "remove" : "keep",
                    },
                  ],
                  kept ? "Remove region’s sound" : "Keep region’s sound",
                )
              }
              onKeyDown={(event) => {
                if (event.key === "Delete" || event.key === "Backspace") {
                  change("Take out region", (s) =>
                    removeItem(s, catalogue, index, item.id, number),
                  );
                } else {
                  const next = nudged(box, event.key, event.shiftKey, seconds);
                  if (!next) return;
                  set(i, next, "Move region");
                }
                event.preventDefault();
                event.stopPropagation();
              }}
            />
          );
        })}
        {drawing && (
          <div
            className="pointer-events-none absolute border border-rose bg-rose/10"
            style={placed(drawing, seconds)}
          />
        )}
        {place >= 0 && (
          <div
            className="pointer-events-none absolute inset-y-0 w-px bg-rose/60"
            style={{ left: `${place * 100}%` }}
          />
        )}
      </div>
      <p className="label mt-0.5 text-xs">
        Drag to draw a region; click it to keep or remove it. The rose line is where the lowest note
        reads now.
      </p>
    </div>
  );
}
