import { useEffect, useState } from "react";
import { api, bytes, type Schemas, taken } from "../api/client";
import { shownNumber } from "../document/values";
import { notify } from "../notices/notices";
import { hear, hush, useHearing } from "./hearing";
import type { Change, Loop, RecordingCard } from "./library";
import { Seam } from "./Seam";

type Found = Schemas["LoopOut"];

/** Seconds that are heard before a loop. */
const LEAD = 0.5;
/** Seconds before the join at which a loop is heard again after a nudge. */
const BEFORE_JOIN = 0.6;
/** Milliseconds without another nudge after which the loop is heard anew. */
const SETTLED = 150;
/** Seconds of crossfade that a found loop begins with. */
const FADE = 0.05;

/** Hear a loop with its crossfade, as the sampler plays it. */
async function hearLoop(key: string, loop: Loop, name: string, nudged: boolean) {
  const lead = Math.min(LEAD, loop.start);
  const query = new URLSearchParams({
    start: String(loop.start),
    end: String(loop.end),
    fade: String(loop.fade ?? 0),
    lead: String(lead),
  });
  const audio = () => bytes(`/api/material/${key}/loop/audio?${query}`);
  const end = lead + loop.end - loop.start;
  const from = nudged ? Math.max(lead, end - BEFORE_JOIN) : 0;
  await hear(name, audio, { start: lead, end }, from);
}

/** The loop of a recording: found and offered, nudged by ear and eye. */
export function Loops({
  card,
  seconds,
  change,
}: {
  card: RecordingCard;
  seconds: number;
  change: Change;
}) {
  const [found, setFound] = useState<Found[] | null>(null);
  const [looking, setLooking] = useState(false);
  // What the fields say while they are typed in; kept when a field is left.
  const [draft, setDraft] = useState<Loop | null>(null);
  const heard = useHearing((s) => s.what);
  const name = `loop of ${card.key}`;
  const { loop } = card;
  const shown = draft ?? loop;
  useEffect(() => {
    if (!draft || useHearing.getState().what !== name) return;
    const settled = setTimeout(
      () => void hearLoop(card.key, draft, name, true).catch((e) => notify(e.message)),
      SETTLED,
    );
    return () => clearTimeout(settled);
  }, [draft, card.key, name]);
  const look = async () => {
    setLooking(true);
    try {
      setFound(
        await taken(api.GET("/api/material/{key}/loops", { params: { path: { key: card.key } } })),
      );
    } catch (error) {
      notify((error as Error).message);
    }
    setLooking(false);
  };
  const use = async (next: Loop, label: string) => {
    if (!(next.start >= 0 && next.end > next.start)) {
      notify("A loop ends after it starts. Change the other end first.");
      setDraft(null);
      return;
    }
    const kept = draft;
    await change({ loop: { ...next, end: Math.min(next.end, seconds || next.end) } }, label);
    // Another field may be typed in by now.
    setDraft((newest) => (newest === kept ? null : newest));
  };
  const play = (next: Loop) =>
    void hearLoop(card.key, next, name, false).catch((e) => notify(e.message));
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
            const next = { ...(draft ?? loop), [key]: Number(event.target.value) };
            if (next.start >= 0 && next.end > next.start) setDraft(next);
          }}
          onBlur={(event) => {
            const value = Number(event.target.value);
            if (Math.abs(value - (loop[key] ?? 0)) < 5e-5) setDraft(null);
            else void use({ ...loop, [key]: value }, `Loop ${label.toLowerCase()}`);
          }}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
        s
      </label>
    );
  return (
    <div>
      {shown && <Seam card={card} loop={shown} />}
      {loop ? (
        <div className="mb-2 flex flex-wrap items-center gap-2">
          {field("start", "Start")}
          {field("end", "End")}
          {field("fade", "Crossfade")}
          <button
            type="button"
            className="button"
            onClick={() => (heard === name ? hush() : play(draft ?? loop))}
          >
            {heard === name ? "Stop" : "Play loop"}
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
              onClick={() => play({ ...entry, fade: loop?.fade ?? FADE })}
            >
              Play
            </button>
            <button
              type="button"
              className="button-plain"
              onClick={() =>
                void use({ start: entry.start, end: entry.end, fade: loop?.fade ?? FADE }, "Loop")
              }
            >
              Use
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
