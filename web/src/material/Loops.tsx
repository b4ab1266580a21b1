import { useState } from "react";
import { api, type Schemas, taken } from "../api/client";
import { shownNumber } from "../document/values";
import { say } from "../session/store";
import { hear, hush, moveLoop, useHearing } from "./hearing";
import type { Change } from "./RecordingDetail";
import type { RecordingCard } from "./shelf";

type Found = Schemas["LoopOut"];

/** The loop of a recording: found and offered, nudged by ear and eye. */
export function Loops({
  card,
  seconds,
  audio,
  change,
}: {
  card: RecordingCard;
  seconds: number;
  audio: () => Promise<ArrayBuffer>;
  change: Change;
}) {
  const [found, setFound] = useState<Found[] | null>(null);
  const [looking, setLooking] = useState(false);
  const heard = useHearing((s) => s.what);
  const name = `loop of ${card.key}`;
  const { loop } = card;
  const look = async () => {
    setLooking(true);
    try {
      setFound(
        await taken(api.GET("/api/material/{key}/loops", { params: { path: { key: card.key } } })),
      );
    } catch (error) {
      say((error as Error).message);
    }
    setLooking(false);
  };
  const use = (start: number, end: number, fade: number, label: string) => {
    if (!(start >= 0 && end > start)) {
      say("A loop ends after it starts. Change the other end first.");
      return;
    }
    moveLoop(start, end);
    void change({ loop: { start, end: Math.min(end, seconds || end), fade } }, label);
  };
  const play = (start: number, end: number) =>
    void hear(name, audio, { start, end }, Math.max(0, start - 0.5)).catch((e) => say(e.message));
  const field = (key: "start" | "end" | "fade", label: string) =>
    loop && (
      <label className="flex items-center gap-1">
        <span className="label">{label}</span>
        <input
          key={`${key} ${loop[key]}`}
          type="number"
          step={0.001}
          min={0}
          max={key === "fade" ? 10 : seconds}
          className="field w-[88px]"
          aria-label={`Loop ${label.toLowerCase()} in seconds`}
          defaultValue={Number((loop[key] ?? 0).toFixed(4))}
          onChange={(event) => {
            const next = { ...loop, fade: loop.fade ?? 0, [key]: Number(event.target.value) };
            if (next.end > next.start) moveLoop(next.start, next.end);
          }}
          onBlur={(event) => {
            const value = Number(event.target.value);
            if (Math.abs(value - (loop[key] ?? 0)) < 5e-5) return;
            const next = { ...loop, fade: loop.fade ?? 0, [key]: value };
            use(next.start, next.end, next.fade, `Loop ${label.toLowerCase()}`);
          }}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
        s
      </label>
    );
  return (
    <div>
      {loop ? (
        <div className="mb-2 flex flex-wrap items-center gap-2">
          {field("start", "Start")}
          {field("end", "End")}
          {field("fade", "Crossfade")}
          <button
            type="button"
            className="button"
            onClick={() => (heard === name ? hush() : play(loop.start, loop.end))}
          >
            {heard === name ? "Stop" : "Hear loop"}
          </button>
          <button
            type="button"
            className="button-plain"
            onClick={() => void change({ no_loop: true }, "No loop")}
          >
            No loop
          </button>
        </div>
      ) : (
        <p className="label mb-2">None: it plays to its end</p>
      )}
      <button type="button" className="button" disabled={looking} onClick={() => void look()}>
        {looking ? "Looking…" : "Find loops"}
      </button>
      {found?.length === 0 && (
        <p className="label mt-1" role="status">
          No two places are alike enough for a loop.
        </p>
      )}
      <ul className="mt-1">
        {found?.map((entry) => (
          <li
            key={`${entry.start} ${entry.end}`}
            className="mb-1 flex items-center gap-2 border border-line bg-paper px-2 py-0.5"
          >
            <span className="flex-1">
              {shownNumber(entry.start, 3)}–{shownNumber(entry.end, 3)} s,{" "}
              {Math.round(entry.match * 100)} % alike
            </span>
            <button
              type="button"
              className="button-plain"
              onClick={() => play(entry.start, entry.end)}
            >
              Hear
            </button>
            <button
              type="button"
              className="button-plain"
              onClick={() => use(entry.start, entry.end, loop?.fade ?? 0.05, "Loop")}
            >
              Use
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
