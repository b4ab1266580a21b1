import { type ReactNode, useEffect, useRef, useState } from "react";
import {
  addNotes,
  changeNotes,
  inFrame,
  type Note,
  type Frame as NoteFrame,
  pitchRange,
  removeNotes,
} from "../document/notes";
import type { Operation } from "../document/patch";
import { clock, keyName } from "../document/values";
import { player } from "../live/audio";
import { edit, endGesture, useSession } from "../session/store";
import { hold, holdBy } from "../ui/hold";
import { useSnap } from "./snap";
import { snapped } from "./snapping";
import { fractionOf, inView, useSpan, useView } from "./view";

const EDGE = 6;
const NEW_LENGTH = 0.12;
const MARKER_REACH = 8;
const NO_NOTES: Note[] = [];

type Gesture = "move" | "end" | "velocity";
/** A frame that is drawn over notes, and the notes that were chosen before it. */
type Frame = NoteFrame & { kept: string[] };

let copied: Omit<Note, "id">[] = [];

function write(label: string, operations: Operation[], gesture: string | null = null) {
  edit("score", operations, label, gesture);
}

/** The notes that the cue plays: seen small, or opened to be edited with mouse and keys. */
export function NotesRow({
  height,
  label: Label,
}: {
  height: number;
  label: (props: { children: ReactNode; height: number }) => ReactNode;
}) {
  const open = useView((s) => s.notesOpen);
  const notes = useSession((s) => s.score?.notes) ?? NO_NOTES;
  return (
    <div className="flex border-y border-line pr-4">
      <Label height={Math.min(height, 22)}>
        <button
          type="button"
          className="w-full text-left hover:text-ink"
          aria-expanded={open}
          title={open ? "Close the notes" : "Open the notes to edit them"}
          onClick={() => useView.setState({ notesOpen: !open })}
        >
          Notes
        </button>
      </Label>
      <div className="relative min-w-0 flex-1 overflow-clip" style={{ height }}>
        {open ? <NotesEditor notes={notes} height={height} /> : <SmallNotes notes={notes} />}
      </div>
    </div>
  );
}

function SmallNotes({ notes }: { notes: Note[] }) {
  const span = useSpan();
  const pitches = [...new Set(notes.map((n) => n.pitch))].sort((a, b) => b - a);
  const row = Math.min(6, 20 / Math.max(1, pitches.length));
  return (
    <svg
      className="block h-full w-full"
      preserveAspectRatio="none"
      role="img"
      viewBox={`${span[0]} 0 ${span[1] - span[0]} 22`}
      aria-label={`${notes.length} held notes`}
    >
      {notes.map((note) => (
        <rect
          key={note.id}
          x={note.start}
          y={pitches.indexOf(note.pitch) * row + 1}
          width={note.length}
          height={Math.max(1.2, row - 1.5)}
          fill="var(--color-note)"
          opacity={0.45 + (0.55 * note.velocity) / 127}
        />
      ))}
    </svg>
  );
}

function described(note: Note): string {
  return `${keyName(note.pitch)} at ${clock(note.start, true)}, ${note.length.toFixed(1)} s, velocity ${note.velocity}`;
}

function NotesEditor({ notes, height }: { notes: Note[]; height: number }) {
  const span = useSpan();
  const area = useRef<HTMLDivElement>(null);
  const [chosen, setChosen] = useState<string[]>([]);
  const grid = useSnap((s) => s.grid);
  const score = useSession((s) => s.score);
  const drag = useRef<{
    x: number;
    y: number;
    gesture: Gesture;
    notes: Note[];
    ids: string[];
  } | null>(null);
  const held = useRef<[number, number] | null>(null);
  const [frame, setFrame] = useState<Frame | null>(null);
  const range = held.current ?? (score ? pitchRange(score) : [48, 72]);
  const [low, high] = range;
  const row = height / (high - low + 1);
  useEffect(() => {
    const there = new Set(notes.map((n) => n.id));
    setChosen((ids) =>
      ids.every((id) => there.has(id)) ? ids : ids.filter((id) => there.has(id)),
    );
  }, [notes]);
  if (!score) return null;
  const perPixel = () => (span[1] - span[0]) / (area.current?.clientWidth ?? 1);
  const snap = (seconds: number) => snapped(score, seconds, grid, MARKER_REACH * perPixel());
  const moment = (clientX: number) => {
    const box = area.current?.getBoundingClientRect();
    return inView()[0] + (clientX - (box?.left ?? 0)) * perPixel();
  };
  const pitchAt = (clientY: number) => {
    const box = area.current?.getBoundingClientRect();
    return high - Math.floor((clientY - (box?.top ?? 0)) / row);
  };
  const change = (ids: string[], make: (note: Note) => Note, gesture: string | null = null) =>
    write("Edit notes", changeNotes(useSession.getState().score ?? score, ids, make), gesture);
  const add = (made: Omit<Note, "id">[], label: string) => {
    const { ops, ids } = addNotes(useSession.getState().score ?? score, made);
    write(label, ops);
    setChosen(ids);
  };
  const framed = (clientX: number, clientY: number) => {
    if (!frame) return;
    const next = { ...frame, time: [frame.time[0], moment(clientX)] as const };
    const wide = { ...next, pitch: [frame.pitch[0], pitchAt(clientY)] as const };
    setFrame(wide);
    setChosen([...new Set([...frame.kept, ...inFrame(notes, wide)])]);
  };
  const remove = () => write("Delete notes", removeNotes(score, chosen));
  const copy = () => {
    copied = notes.filter((n) => chosen.includes(n.id)).map(({ id: _, ...rest }) => rest);
  };
  const paste = () => {
    const first = Math.min(...copied.map((n) => n.start));
    const here = player.position();
    if (copied.length > 0) {
      add(
        copied.map((n) => ({ ...n, start: n.start - first + here })),
        "Paste notes",
      );
    }
  };
  const dragged = (clientX: number, clientY: number) => {
    const from = drag.current;
    if (!from) return;
    const by = (clientX - from.x) * perPixel();
    const before = new Map(from.notes.map((n) => [n.id, n]));
    const lead = before.get(from.ids[0] ?? "");
    change(
      from.ids,
      (note) => {
        const was = before.get(note.id) ?? note;
        if (from.gesture === "velocity") {
          return { ...was, velocity: was.velocity + Math.round((from.y - clientY) / 1.5) };
        }
        if (from.gesture === "end") {
          return { ...was, length: snap(was.start + was.length + by) - was.start };
        }
        const shift = lead ? snap(lead.start + by) - lead.start : by;
        const steps = Math.round((from.y - clientY) / row);
        return { ...was, start: was.start + shift, pitch: was.pitch + steps };
      },
      "notes",
    );
  };
  const onKey = (event: React.KeyboardEvent) => {
    const command = event.ctrlKey || event.metaKey;
    const order = [...notes].sort((a, b) => a.start - b.start || a.pitch - b.pitch);
    const at = order.findIndex((n) => n.id === chosen.at(-1));
    const fine = event.shiftKey ? 0.1 : 1;
    const step = (grid ? 60 / (score.tempo[0]?.bpm ?? 120) : perPixel() * 10) * fine;
    const sideways = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const upwards = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (command && event.key === "a") setChosen(notes.map((n) => n.id));
    else if (command && event.key === "c") copy();
    else if (command && event.key === "x") {
      copy();
      remove();
    } else if (command && event.key === "v") paste();
    else if (event.key === "Delete" || event.key === "Backspace") remove();
    else if (event.key === "Enter" || event.key === "Insert") {
      const here = player.position();
      const pitch = order[at]?.pitch ?? Math.round((low + high) / 2);
      add(
        [{ pitch, start: here, length: (span[1] - span[0]) * NEW_LENGTH, velocity: 90 }],
        "Add note",
      );
    } else if (event.key === "Escape") setChosen([]);
    else if (sideways && command)
      change(chosen, (n) => ({ ...n, start: n.start + sideways * step }), "note keys");
    else if (sideways && event.altKey)
      change(chosen, (n) => ({ ...n, length: n.length + sideways * step }), "note keys");
    else if (sideways) {
      const next = order[Math.min(order.length - 1, Math.max(0, at + sideways))];
      if (next) setChosen(event.shiftKey ? [...new Set([...chosen, next.id])] : [next.id]);
    } else if (upwards && event.altKey) {
      change(
        chosen,
        (n) => ({ ...n, velocity: n.velocity + upwards * (event.shiftKey ? 1 : 8) }),
        "note keys",
      );
    } else if (upwards) {
      change(
        chosen,
        (n) => ({ ...n, pitch: n.pitch + upwards * (event.shiftKey ? 12 : 1) }),
        "note keys",
      );
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const letGo = () => {
    drag.current = null;
    held.current = null;
    setFrame(null);
  };
  const last = notes.find((n) => n.id === chosen.at(-1));
  return (
    <div
      ref={area}
      role="listbox"
      aria-multiselectable
      tabIndex={0}
      aria-label="Notes"
      aria-activedescendant={last ? `note-${last.id}` : undefined}
      title="Double-click adds a note, a frame chooses several; arrows choose, up and down transpose, Ctrl and arrows move, Alt and arrows change length and velocity"
      className="absolute inset-0 touch-none select-none bg-paper/60"
      // A selection that a double click leaves behind would be dragged in place of the note.
      onDragStart={(event) => event.preventDefault()}
      onKeyDown={onKey}
      onKeyUp={endGesture}
      onDoubleClick={(event) => {
        if (event.target !== event.currentTarget) return;
        const start = snap(moment(event.clientX));
        const made = {
          pitch: pitchAt(event.clientY),
          start,
          length: (span[1] - span[0]) * NEW_LENGTH,
          velocity: 90,
        };
        add([made], "Add note");
      }}
      onPointerDown={(event) => {
        if (event.target !== event.currentTarget) return;
        const [time, pitch] = [moment(event.clientX), pitchAt(event.clientY)];
        const kept = event.shiftKey ? chosen : [];
        setChosen(kept);
        setFrame({ time: [time, time], pitch: [pitch, pitch], kept });
        hold(event, letGo);
      }}
      onPointerMove={(event) => {
        dragged(event.clientX, event.clientY);
        framed(event.clientX, event.clientY);
      }}
    >
      {notes.map((note) => {
        const [from, to] = [
          fractionOf(note.start, span),
          fractionOf(note.start + note.length, span),
        ];
        if (to < 0 || from > 1) return null;
        const selected = chosen.includes(note.id);
        return (
          <div
            key={note.id}
            id={`note-${note.id}`}
            role="option"
            tabIndex={-1}
            aria-selected={selected}
            aria-label={described(note)}
            data-note={note.id}
            className={`absolute cursor-move overflow-hidden border text-[10px] leading-none text-paper ${
              selected ? "border-ink bg-ink" : "border-paper bg-note"
            }`}
            style={{
              left: `${from * 100}%`,
              width: `${(to - from) * 100}%`,
              top: (high - note.pitch) * row,
              height: Math.max(5, row),
              opacity: selected ? 1 : 0.45 + (0.55 * note.velocity) / 127,
            }}
            onPointerDown={(event) => {
              event.stopPropagation();
              area.current?.focus();
              const box = event.currentTarget.getBoundingClientRect();
              const ids = event.shiftKey
                ? [...new Set([...chosen, note.id])]
                : selected
                  ? [note.id, ...chosen.filter((id) => id !== note.id)]
                  : [note.id];
              setChosen(ids);
              const gesture = event.altKey
                ? "velocity"
                : box.right - event.clientX < EDGE
                  ? "end"
                  : "move";
              drag.current = { x: event.clientX, y: event.clientY, gesture, notes, ids };
              held.current = [low, high];
              holdBy(area.current, event.pointerId, letGo);
            }}
          >
            {row > 9 && <span className="pl-1">{keyName(note.pitch)}</span>}
            <span className="absolute inset-y-0 right-0 w-[6px] cursor-ew-resize" />
          </div>
        );
      })}
      {frame && frame.time[0] !== frame.time[1] && (
        <div
          className="pointer-events-none absolute border border-ink bg-ink/10"
          style={{
            left: `${fractionOf(Math.min(...frame.time), span) * 100}%`,
            width: `${(Math.abs(frame.time[1] - frame.time[0]) / (span[1] - span[0])) * 100}%`,
            top: (high - Math.max(...frame.pitch)) * row,
            height: (Math.abs(frame.pitch[1] - frame.pitch[0]) + 1) * row,
          }}
        />
      )}
      {last && (
        <span className="pointer-events-none absolute right-1 top-0.5 bg-paper/85 px-1 text-xs text-slate">
          {described(last)}
          {chosen.length > 1 ? ` and ${chosen.length - 1} more` : ""}
        </span>
      )}
    </div>
  );
}
