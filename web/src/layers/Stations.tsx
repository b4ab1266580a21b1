import { type DragEvent, type KeyboardEvent, type ReactNode, useEffect, useRef } from "react";
import type { Sound, Value } from "../api/client";
import {
  type Catalogue,
  defaultValue,
  type Parameter,
  type PartPlace,
} from "../document/catalogue";
import { moveTo, slotOf } from "../document/chains";
import { valueAt } from "../document/patch";
import { shown, shownNumber } from "../document/values";
import { useLive } from "../live/socket";
import { onPlayhead, SELDOM } from "../longview/playhead";
import { change } from "../session/change";
import { useSession } from "../session/store";
import { useUnfolded } from "../strips/unfolded";
import { useCatalogue } from "../ui/catalogue-context";
import { openStation, useStations } from "./stations";

export interface Station {
  id: string;
  title: string;
  place: PartPlace;
  /** The slot whose level stands on it; see the core's metering. */
  slot: string;
  bypassed?: boolean;
  /** Groups of its parameters that its word is taken from, where not from all. */
  only?: string[];
  content: ReactNode;
}

/** A word about a station: how many of its numbers move, and one that is not as usual. */
function wordOf(sound: Sound | null, catalogue: Catalogue, station: Station): string {
  if (!sound) return "";
  const { place, only } = station;
  const module = catalogue.module(place.family, place.kind);
  const params = (valueAt(sound, `${place.pointer}/params`) ?? {}) as Record<string, Value>;
  const candidates = module.parameters.filter(
    (p) =>
      p.moves !== "no" &&
      (p.kind === "number" || p.kind === "time") &&
      (!only || only.includes(p.group)),
  );
  const differs = (p: Parameter) =>
    JSON.stringify(params[p.key]) !== JSON.stringify(defaultValue(p));
  const first = candidates.find(differs) ?? candidates[0];
  const moving = new Set(
    [...sound.routes, ...sound.lanes]
      .map((mover) => mover.to)
      .filter((to) => to.startsWith(`${place.path}.`)),
  ).size;
  const value = first && params[first.key];
  const facts = [
    station.bypassed ? "bypassed" : "",
    moving > 0 && !only ? `${moving} moving` : "",
    first && value !== undefined ? `${first.name.toLowerCase()} ${shown(first, value)}` : "",
  ];
  return facts.filter(Boolean).join(", ");
}

/** So many decibels more than before it make a slot stand out. */
const LOUDER = 3;

/** A level at a fraction of the length, from levels evenly over it. */
function levelAt(levels: (number | null)[] | undefined, fraction: number): number | null {
  if (!levels) return null;
  const at = Math.round(fraction * (levels.length - 1));
  return levels[Math.min(levels.length - 1, Math.max(0, at))] ?? null;
}

/** The level behind a slot at the playhead; where it gets much louder, it stands out. */
function SlotLevel({ slot, before }: { slot: string; before?: string }) {
  const levels = useLive((s) => s.summary?.slots[slot]);
  const earlier = useLive((s) => (before ? s.summary?.slots[before] : undefined));
  const length = useSession((s) => s.score?.length ?? 1);
  const ref = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const tell = (seconds: number) => {
      if (!ref.current || !levels) return;
      const level = levelAt(levels, seconds / length);
      const then = levelAt(earlier, seconds / length);
      const silent = level === null || level < -90;
      const rise = silent || then === null || then < -90 ? 0 : level - then;
      ref.current.textContent = silent ? "silent" : `${shownNumber(level, 1)} dB`;
      ref.current.title = `The level behind this slot at the playhead${
        rise === 0
          ? ""
          : `, ${shownNumber(Math.abs(rise), 1)} dB ${rise > 0 ? "more" : "less"} than before it`
      }`;
      ref.current.dataset.louder = String(rise >= LOUDER);
    };
    return onPlayhead(tell, SELDOM);
  }, [levels, earlier, length]);
  if (!levels) return null;
  return (
    <span
      ref={ref}
      className="label text-xs data-[louder=true]:font-bold data-[louder=true]:text-ink"
      data-slot={slot}
    />
  );
}

function Word({ station }: { station: Station }) {
  const catalogue = useCatalogue();
  const word = useSession((s) => wordOf(s.sound, catalogue, station));
  return <span className="label block truncate text-xs">{word}</span>;
}

/** The type of what is dragged along the chain: where it stands in the document. */
const DRAGGED = "application/x-caligo-station";

/** How a station is moved among its like, by Alt and the arrow keys or by dragging. */
function useMoving(stations: Station[]) {
  const listOf = (station: Station) => {
    const { family, pointer } = station.place;
    return family === "filter" || family === "effect" ? slotOf(pointer).list : "";
  };
  const move = (station: Station, to: number) => {
    const like = stations.filter((one) => listOf(one) === listOf(station));
    if (!listOf(station) || to < 0 || to >= like.length) return;
    change("Reorder", (sound) => moveTo(sound, slotOf(station.place.pointer), to));
  };
  return {
    movable: (station: Station) => listOf(station) !== "",
    onKey: (event: KeyboardEvent, station: Station) => {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!event.altKey || !by || !listOf(station)) return;
      event.preventDefault();
      move(station, slotOf(station.place.pointer).index + by);
    },
    onDrop: (event: DragEvent, onto: Station) => {
      const dragged = stations.find((one) => one.id === event.dataTransfer.getData(DRAGGED));
      if (!dragged || listOf(dragged) !== listOf(onto)) return;
      event.preventDefault();
      move(dragged, slotOf(onto.place.pointer).index);
    },
  };
}

/** The way of the signal as a row of stations; those that are open show their strips below. */
export function Stations({
  owner,
  stations,
  adding,
}: {
  owner: string;
  stations: Station[];
  adding: ReactNode;
}) {
  const all = useStations((s) => s.all);
  const chosen = useStations((s) => s.open[owner]);
  const first = stations[0]?.id ?? "";
  const open = (chosen ?? [first]).filter((id) => stations.some((one) => one.id === id));
  const moving = useMoving(stations);
  const isOpen = (id: string) => all || open.includes(id) || (open.length === 0 && id === first);
  return (
    <>
      <div className="mb-2 flex items-stretch gap-2">
        <ol
          aria-label="Chain"
          className="grid min-w-0 flex-1 border-l border-t border-line"
          style={{ gridTemplateColumns: "repeat(auto-fit, minmax(116px, 1fr))" }}
        >
          {stations.map((station, at) => (
            <li
              key={station.id}
              className="min-w-0"
              draggable={moving.movable(station)}
              onDragStart={(event) => event.dataTransfer.setData(DRAGGED, station.id)}
              onDragOver={(event) => moving.movable(station) && event.preventDefault()}
              onDrop={(event) => moving.onDrop(event, station)}
            >
              <button
                type="button"
                onKeyDown={(event) => moving.onKey(event, station)}
                className={`h-full w-full border-b border-r border-line px-2 py-0.5 text-left leading-tight ${
                  isOpen(station.id) ? "bg-paper shadow-[inset_0_3px_0_var(--color-ink)]" : ""
                }`}
                aria-expanded={isOpen(station.id)}
                aria-keyshortcuts={
                  moving.movable(station) ? "Alt+ArrowLeft Alt+ArrowRight" : undefined
                }
                title={
                  moving.movable(station)
                    ? "Open it; Ctrl or Shift opens it besides the others. Drag it, or Alt and an arrow key, to move it"
                    : "Open it; Ctrl or Shift opens it besides the others"
                }
                onClick={(event) =>
                  openStation(
                    owner,
                    station.id,
                    open,
                    event.ctrlKey || event.metaKey || event.shiftKey,
                  )
                }
              >
                <span className="flex items-baseline gap-1">
                  <b
                    className={`min-w-0 flex-1 truncate ${station.bypassed ? "text-slate line-through" : ""}`}
                  >
                    {station.title}
                  </b>
                  <SlotLevel slot={station.slot} before={stations[at - 1]?.slot} />
                </span>
                <Word station={station} />
              </button>
            </li>
          ))}
        </ol>
        <div className="grid shrink-0 grid-cols-[auto_auto] content-center justify-items-start text-xs [&>:nth-last-child(n+3)]:col-span-2">
          {adding}
          <button
            type="button"
            className="button-plain"
            aria-pressed={all}
            aria-label={all ? "One station" : "All stations"}
            onClick={() => {
              useStations.setState({ all: !all });
              useUnfolded.setState({ everything: !all });
            }}
          >
            {all ? "One" : "All"}
          </button>
        </div>
      </div>
      {stations.map((station) =>
        isOpen(station.id) ? <div key={station.id}>{station.content}</div> : null,
      )}
    </>
  );
}
