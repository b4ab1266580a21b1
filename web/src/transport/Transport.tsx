import { useEffect, useRef, useSyncExternalStore } from "react";
import { clock, shownNumber } from "../document/values";
import { player } from "../live/audio";
import { holdStill, listen, panic, setLoop, skim, stop, useLive } from "../live/socket";
import { onPlayhead } from "../longview/playhead";
import { ScoreButton } from "../score/ScoreDialog";
import { comparedWith } from "../session/comparing";
import { knownRevision, unsent, useSession } from "../session/store";
import { COLUMNS, longView } from "../spectrogram/long-view";
import { Menu } from "../ui/Menu";
import { Compare } from "./Compare";
import { Findings } from "./Findings";
import { Matched } from "./Matched";
import { Returns } from "./Returns";

function Clock() {
  const ref = useRef<HTMLSpanElement>(null);
  useEffect(
    () =>
      onPlayhead((seconds) => {
        if (ref.current) ref.current.textContent = clock(seconds, true);
      }),
    [],
  );
  const length = useSession((s) => s.score?.length ?? 0);
  return (
    <span className="flex items-baseline gap-2">
      <span
        ref={ref}
        className="w-[68px] text-[1.35rem] leading-none tracking-tight"
        data-testid="clock"
      />
      <span className="label">of {clock(length)}</span>
    </span>
  );
}

/** How far the long view is drawn: "Drawing 42 %" while it is under way. */
function Drawing() {
  const fine = useSyncExternalStore(longView.subscribe, () => longView.fine);
  const fraction = Math.floor((fine / COLUMNS) * 100);
  return fine >= COLUMNS ? null : (
    <span
      className="label w-[92px]"
      role="progressbar"
      aria-label="Drawing the long view"
      aria-valuenow={fraction}
      aria-valuemin={0}
      aria-valuemax={100}
    >
      Drawing {fraction} %
    </span>
  );
}

/** Whether the figures on the page are of another state than what is open now. */
function useStale(): boolean {
  const summary = useLive((s) => s.summary);
  const stilled = useLive((s) => s.still === summary?.still && s.frozen === summary.frozen);
  const saved = useSession(() => !unsent() && knownRevision() === summary?.revision);
  return !stilled || !saved;
}

/** The loudness, peak and width of the whole; paler while a newer state is being drawn. */
function Measures() {
  const summary = useLive((s) => s.summary);
  const stale = useStale();
  return (
    <section
      aria-label="Measures of the whole"
      aria-busy={stale}
      className={`flex items-center gap-2 ${stale ? "text-slate" : ""}`}
    >
      <Measure name="Loudness" value={summary ? summary.integrated : undefined} unit="LUFS" />
      <Measure name="True peak" value={summary ? summary.true_peak : undefined} unit="dBTP" />
      <Measure name="Width" value={summary ? summary.width : undefined} unit="" />
    </section>
  );
}

function Measure({
  name,
  value,
  unit,
}: {
  name: string;
  value: number | null | undefined;
  unit: string;
}) {
  return (
    <span className="whitespace-nowrap">
      <span className="label">{name}</span>{" "}
      <b className="font-semibold">
        {value === undefined
          ? "…"
          : value === null
            ? "silent"
            : `${shownNumber(value, unit ? 1 : 2)} ${unit}`}
      </b>
    </span>
  );
}

/** Seconds in which the whole cue is skimmed. */
const SKIM = 16;

/** All movement at rest, or as it is at the playhead, to compare; as loud as it moves. */
function Stillness() {
  const still = useLive((s) => s.still);
  const frozen = useLive((s) => s.frozen);
  const before = useSession(() => comparedWith() !== null);
  return (
    <span className="flex items-center">
      <button
        type="button"
        className="button rounded-r-none"
        aria-pressed={still}
        onClick={() => holdStill(!still)}
        title="Every movement stopped at its resting value, to compare"
      >
        {frozen === null ? "Hold still" : `Frozen at ${clock(frozen)}`}
      </button>
      <Menu
        button="▾"
        label="How to hold still"
        className="button rounded-l-none border-l-0 px-1.5"
        entries={() => [
          { name: "At its resting values", act: () => holdStill(true) },
          {
            name: "Frozen as it is here",
            help: `At the playhead, ${clock(player.position(), true)}.`,
            act: () => holdStill(true, Number(player.position().toFixed(3))),
          },
          { name: "Let it move", disabled: !still, act: () => holdStill(false) },
        ]}
      />
      {still && !before && <Matched why="So that still and moving are equally loud" />}
    </span>
  );
}

export function togglePlaying() {
  if (useLive.getState().playing) {
    stop();
    return;
  }
  const length = useSession.getState().score?.length ?? 0;
  const at = player.position();
  void listen(at >= length - 0.2 ? 0 : at);
}

export function Transport({ onKeys, keys }: { onKeys: () => void; keys: boolean }) {
  const playing = useLive((s) => s.playing);
  const playingAs = useLive((s) => s.playingAs);
  const loop = useLive((s) => s.loop);
  const connected = useLive((s) => s.connected);
  return (
    <section
      aria-label="Transport"
      className="flex min-h-11 shrink-0 flex-wrap items-center gap-2 border-b border-line bg-paper px-4 py-1"
    >
      <button
        type="button"
        className="button button-ink w-[68px]"
        onClick={togglePlaying}
        title="Space"
      >
        {playing ? "Stop" : "Listen"}
      </button>
      <button
        type="button"
        className="button"
        aria-pressed={playing && playingAs === "skim"}
        onClick={() => (playing && playingAs === "skim" ? stop() : void skim(SKIM))}
        title={`Play the whole cue in ${SKIM} seconds`}
      >
        Skim
      </button>
      <Compare />
      <Stillness />
      <button type="button" className="button" aria-pressed={keys} onClick={onKeys}>
        Keys
      </button>
      <button type="button" className="button" onClick={panic} title="Silence everything at once">
        Panic
      </button>
      <Clock />
      <Returns />
      {loop && (
        <button type="button" className="button-plain" onClick={() => setLoop(null)}>
          Loop {clock(loop[0])} to {clock(loop[1])} ✕
        </button>
      )}
      <span className="flex min-w-0 flex-[1_1_480px] items-center justify-end gap-2">
        {connected ? (
          <Drawing />
        ) : (
          <span role="status" className="text-warn">
            Caligo does not answer; connecting again…
          </span>
        )}
        <Findings />
        <Measures />
        <ScoreButton />
      </span>
    </section>
  );
}
