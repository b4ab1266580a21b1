import { useRef, useState } from "react";
import { api, type Score, taken, upload } from "../api/client";
import { GESTURES } from "../document/gestures";
import { notify } from "../notices/notices";
import { edit, useSession } from "../session/store";
import { FileField } from "../ui/FileField";
import { Menu } from "../ui/Menu";
import { Panel } from "../ui/Panel";
import { TempoList } from "./TempoList";

const NAMES = ["C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"];

function noteName(key: number): string {
  return `${NAMES[key % 12]}${Math.floor(key / 12) - 1}`;
}

/** What a score holds, short enough for a button. */
export function summary(score: Score): string {
  const first = score.notes[0]?.start ?? 0;
  const chord = score.notes.filter((n) => n.start <= first + 1).map((n) => noteName(n.pitch));
  const shown = [...new Set(chord)].slice(0, 5).join(" ");
  const more = score.notes.length - chord.length;
  return shown ? `Chord ${shown}${more > 0 ? ` + ${more}` : ""}` : "No notes";
}

/** Use another score; markers that were set by hand stay unless the new one brings its own. */
export function replaceScore(next: Score, label: string) {
  const { score } = useSession.getState();
  if (!score) return;
  const markers = next.markers.length
    ? next.markers
    : score.markers.filter((m) => m.time < next.length);
  edit("score", [{ op: "replace", path: "", value: { ...next, markers } }], label);
}

export async function dropMidi(file: File) {
  try {
    const score = await upload<Score>("/api/scores/midi", file);
    replaceScore(score, `Import ${file.name}`);
    notify(
      `${file.name}: ${score.notes.length} notes over ${Math.round(score.length)} s. Undo brings the old score back.`,
      "news",
    );
  } catch (error) {
    notify(error instanceof Error ? error.message : String(error));
  }
}

function MarkerList() {
  const markers = useSession((s) => s.score?.markers) ?? [];
  const length = useSession((s) => s.score?.length ?? 240);
  const [name, setName] = useState("");
  const [at, setAt] = useState("60");
  const add = () => {
    const time = Number(at);
    if (!name.trim() || !Number.isFinite(time) || time < 0 || time > length) {
      notify(`A marker needs a name and a time from 0 to ${length} s.`);
      return;
    }
    const used = new Set(markers.map((m) => m.id));
    let number = 1;
    while (used.has(`m${number}`)) number++;
    edit(
      "score",
      [{ op: "add", path: "/markers/-", value: { id: `m${number}`, time, name: name.trim() } }],
      "Add marker",
    );
    setName("");
  };
  return (
    <div>
      <h3 className="mb-1 text-sm">Markers</h3>
      {markers.map((marker, i) => (
        <div key={marker.id} className="flex items-center gap-2 py-0.5">
          <span className="w-14 text-right">{marker.time.toFixed(1)} s</span>
          <span className="flex-1 truncate">{marker.name}</span>
          <button
            type="button"
            className="button-plain"
            aria-label={`Remove marker ${marker.name}`}
            onClick={() =>
              edit("score", [{ op: "remove", path: `/markers/${i}` }], "Remove marker")
            }
          >
            Remove
          </button>
        </div>
      ))}
      <div className="mt-1 flex gap-2">
        <input
          className="field w-16 text-right"
          aria-label="Marker time in seconds"
          value={at}
          onChange={(event) => setAt(event.target.value)}
        />
        <input
          className="field flex-1"
          aria-label="Marker name"
          placeholder="Name of a new marker"
          value={name}
          onChange={(event) => setName(event.target.value)}
          onKeyDown={(e) => e.key === "Enter" && add()}
        />
        <button type="button" className="button" onClick={add}>
          Add marker
        </button>
      </div>
    </div>
  );
}

export function ScoreButton() {
  const score = useSession((s) => s.score);
  const cueId = useSession((s) => s.cueId);
  const [text, setText] = useState("C2 G2 D3 A3");
  const [minutes, setMinutes] = useState("4");
  const [problem, setProblem] = useState("");
  const [open, setOpen] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  if (!score) return null;
  const hold = async () => {
    const length = Number(minutes.replace(",", ".")) * 60;
    if (!(length >= 1 && length <= 14_400)) {
      setProblem("The length is between 1 second and 240 minutes.");
      return;
    }
    try {
      const next = await taken(api.POST("/api/scores/chord", { body: { text, length } }));
      replaceScore(next as Score, `Hold ${text}`);
      setProblem("");
      setOpen(false);
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <Panel
      button={summary(score)}
      title="What the cue plays"
      open={open}
      onOpen={setOpen}
      className="button min-w-24 max-w-[190px] truncate"
      hint="Change what is played"
      place="right-4 bottom-4 max-h-[70vh] w-[460px]"
    >
      <form
        className="mb-3 flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void hold();
        }}
      >
        <label className="flex-1">
          <span className="label block">Notes or chord symbols</span>
          <input
            className="field w-full"
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
        </label>
        <label>
          <span className="label block">Minutes</span>
          <input
            className="field w-16 text-right"
            inputMode="decimal"
            value={minutes}
            onChange={(event) => setMinutes(event.target.value)}
          />
        </label>
        <button type="submit" className="button button-ink">
          Hold
        </button>
      </form>
      {problem && (
        <p role="alert" className="mb-2 text-warn">
          {problem}
        </p>
      )}
      <div className="mb-3 flex items-center gap-2">
        <button type="button" className="button" onClick={() => picker.current?.click()}>
          Import MIDI file
        </button>
        <FileField
          field={picker}
          label="MIDI file"
          accept=".mid,.midi"
          onFiles={([file]) => void dropMidi(file)}
        />
        <a className="button" href={`/api/cues/${cueId}/score.mid`}>
          Save as MIDI file
        </a>
        <Menu
          button="Play it…"
          label="Play it… with a gesture"
          className="button"
          entries={GESTURES.map((gesture) => ({
            name: gesture.name,
            help: gesture.help,
            act: () => {
              const { score: now } = useSession.getState();
              if (now) edit("score", gesture.make(now), gesture.name);
            },
          }))}
        />
      </div>
      <TempoList />
      <MarkerList />
    </Panel>
  );
}
