import { useState } from "react";
import type { Score } from "../api/client";
import type { Operation } from "../document/patch";
import {
  FASTEST,
  LONGEST_SCORE,
  metreOf,
  readMetre,
  SLOWEST,
  setBpm,
  setTempo,
  tempoOf,
  withChange,
} from "../document/tempo";
import { player } from "../live/audio";
import { notify } from "../notices/notices";
import { edit, useSession } from "../session/store";

const number = (text: string) => (text.trim() ? Number(text.trim().replace(",", ".")) : Number.NaN);

/** Edit the score as it is now. */
function write(label: string, make: (score: Score) => Operation[] | null) {
  const { score } = useSession.getState();
  if (!score) return;
  const operations = make(score);
  if (operations) edit("score", operations, label);
  else notify(`So slow, the cue would be longer than ${LONGEST_SCORE / 60} minutes.`);
}

/** A field that is taken with Enter or on leaving it; Escape gives the old value back. */
function Field({
  label,
  value,
  className,
  onKeep,
}: {
  label: string;
  value: string;
  className: string;
  onKeep: (text: string) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const keep = () => {
    if (text !== null && text !== value) onKeep(text);
    setText(null);
  };
  return (
    <input
      className={`field py-0 text-right ${className}`}
      aria-label={label}
      value={text ?? value}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape" && text !== null) {
          setText(null);
          event.stopPropagation();
        }
      }}
    />
  );
}

/** The moment that was typed, if it lies in the cue, behind its start and on no other change. */
function moment(text: string, score: Score, taken: { time: number }[]): number | null {
  const time = number(text);
  if (time > 0 && time <= score.length && !taken.some((one) => one.time === time)) return time;
  notify(
    `A change comes after the start and before ${score.length} s, and not where another is; “${text}” does not.`,
  );
  return null;
}

function tempoFrom(text: string): number | null {
  const bpm = number(text);
  if (bpm >= SLOWEST && bpm <= FASTEST) return bpm;
  notify(`A tempo is from ${SLOWEST} to ${FASTEST} beats a minute, not “${text}”.`);
  return null;
}

function metreFrom(text: string) {
  const metre = readMetre(text);
  if (!metre) notify(`A metre is written as 3/4 or 6/8, not “${text}”.`);
  return metre;
}

/** When a change comes: the first holds from the start. */
function When({
  index,
  time,
  what,
  onKeep,
}: {
  index: number;
  time: number;
  what: string;
  onKeep: (text: string) => void;
}) {
  if (index === 0) return <span className="w-20 text-right text-slate">from the start</span>;
  return (
    <span className="flex w-20 items-center justify-end gap-1">
      <Field
        label={`When ${what} ${index + 1} comes, in seconds`}
        value={String(Number(time.toFixed(3)))}
        className="w-14"
        onKeep={onKeep}
      />
      s
    </span>
  );
}

function Remove({ what, onRemove }: { what: string; onRemove: () => void }) {
  return (
    <button
      type="button"
      className="button-plain ml-auto"
      aria-label={`Remove ${what}`}
      onClick={onRemove}
    >
      Remove
    </button>
  );
}

/** Seconds to the thousandth at which a change is added: the playhead, or a second after it. */
function playhead(): number {
  return Number(Math.max(1, player.position()).toFixed(3));
}

function Tempi({ score, along }: { score: Score; along: boolean }) {
  const tempi = tempoOf(score);
  return (
    <>
      {tempi.map((change, i) => {
        const others = tempi.filter((_, k) => k !== i);
        const name = `tempo ${i + 1}`;
        return (
          <div key={change.time} className="flex items-center gap-2 py-0.5">
            <When
              index={i}
              time={change.time}
              what="tempo"
              onKeep={(text) => {
                const time = moment(text, score, others);
                if (time === null) return;
                write("Move tempo", (now) =>
                  setTempo(now, withChange(others, { ...change, time }), along),
                );
              }}
            />
            <Field
              label={`Beats a minute of ${name}`}
              value={String(Number(change.bpm.toFixed(3)))}
              className="w-16 font-bold"
              onKeep={(text) => {
                const bpm = tempoFrom(text);
                if (bpm !== null) write("Set tempo", (now) => setBpm(now, i, bpm, along));
              }}
            />
            <span>BPM</span>
            {i > 0 && (
              <Remove
                what={name}
                onRemove={() => write("Remove tempo", (now) => setTempo(now, others, along))}
              />
            )}
          </div>
        );
      })}
      <button
        type="button"
        className="button-plain mb-1"
        onClick={() => {
          const at = moment(String(playhead()), score, tempi);
          const bpm = tempi.findLast((one) => one.time < (at ?? 0))?.bpm ?? 120;
          if (at === null) return;
          write("Add tempo", (now) => setTempo(now, withChange(tempi, { time: at, bpm }), along));
        }}
      >
        Add a tempo change at the playhead
      </button>
    </>
  );
}

function Metres({ score }: { score: Score }) {
  const metres = metreOf(score);
  const replace = (label: string, value: Score["metre"]) =>
    write(label, () => [{ op: "replace", path: "/metre", value }]);
  return (
    <>
      {metres.map((change, i) => {
        const others = metres.filter((_, k) => k !== i);
        const name = `metre ${i + 1}`;
        return (
          <div key={change.time} className="flex items-center gap-2 py-0.5">
            <When
              index={i}
              time={change.time}
              what="metre"
              onKeep={(text) => {
                const time = moment(text, score, others);
                if (time !== null) replace("Move metre", withChange(others, { ...change, time }));
              }}
            />
            <Field
              label={`Beats and note value of ${name}`}
              value={`${change.numerator}/${change.denominator}`}
              className="w-16 font-bold"
              onKeep={(text) => {
                const metre = metreFrom(text);
                if (metre) replace("Set metre", withChange(others, { ...change, ...metre }));
              }}
            />
            {i > 0 && <Remove what={name} onRemove={() => replace("Remove metre", others)} />}
          </div>
        );
      })}
      <button
        type="button"
        className="button-plain mb-1"
        onClick={() => {
          const at = moment(String(playhead()), score, metres);
          const last = metres.findLast((one) => one.time < (at ?? 0));
          if (at === null || !last) return;
          replace("Add metre", withChange(metres, { ...last, time: at }));
        }}
      >
        Add a metre change at the playhead
      </button>
    </>
  );
}

/** Tempo and metre of the cue, and where they change. */
export function TempoList() {
  const score = useSession((s) => s.score);
  const [along, setAlong] = useState(false);
  if (!score) return null;
  return (
    <section className="mb-3" aria-label="Tempo and metre">
      <h3 className="mb-1 text-sm">Tempo and metre</h3>
      <Tempi score={score} along={along} />
      <Metres score={score} />
      <label
        className="mt-1 flex items-center gap-2"
        title="Else they stay where they are in seconds; lanes on beats always go along"
      >
        <input
          type="checkbox"
          checked={along}
          onChange={(event) => setAlong(event.target.checked)}
        />
        Notes, controllers and markers go along with the beats
      </label>
    </section>
  );
}
