"""Standard MIDI Files in and out: notes, tempo, metre, markers and controllers."""

from __future__ import annotations

import io
import math
from collections import defaultdict
from typing import Any

import mido
from pydantic import ValidationError

from caligo.document.score import (
    BEND,
    LONGEST_SCORE,
    PRESSURE,
    Lane,
    LanePoint,
    Marker,
    MetreChange,
    Note,
    Score,
    TempoChange,
)
from caligo.document.tempo import TempoMap
from caligo.errors import InputRefused

TICKS_PER_BEAT = 960
MOST_BYTES = 600 << 10
MOST_NOTES = 20_000
"""Notes of a file: a cue for full orchestra has some thousand."""
MOST_CHANGES, MOST_POINTS = 2_000, 20_000
"""Changes of tempo or metre, or markers, and points of a controller, that a score may hold."""
LONGEST_REASON = 120
TAIL = 4.0
"""Seconds left after the last note of a file, for its release."""


class MidiError(InputRefused):
    """A file that is not a readable Standard MIDI File, with what to do about it."""


def _parse(data: bytes, name: str) -> Any:
    if len(data) > MOST_BYTES:
        raise MidiError(
            f"{name} has {len(data) >> 10} kB, too large for a MIDI file of one cue; at most "
            f"{MOST_BYTES >> 10} kB can be read. Export only this cue, or fewer controllers"
        )
    if not data.startswith(b"MThd"):
        raise MidiError(f"{name} is not a Standard MIDI File; export one from your sequencer")
    try:
        file = mido.MidiFile(file=io.BytesIO(data), clip=True)
    except Exception as error:  # whatever the parser stumbles over in a damaged file
        detail = str(error)[:LONGEST_REASON] or "it ends too early"
        raise MidiError(f"{name} is damaged or cut off ({detail}); export it again") from None
    if file.type == 2:
        raise MidiError(f"{name} holds separate patterns (format 2); save it as format 0 or 1")
    if file.ticks_per_beat <= 0:
        raise MidiError(f"{name} counts time in SMPTE frames; save it with ticks per beat")
    return file


def _absolute(file: Any) -> list[tuple[int, Any]]:
    """All tracks' messages as (ticks since the start, message), in order."""
    rows: list[tuple[int, int, Any]] = []
    for number, track in enumerate(file.tracks):
        ticks = 0
        for message in track:
            ticks += message.time
            rows.append((ticks, number, message))
    rows.sort(key=lambda row: (row[0], row[1]))
    return [(ticks, message) for ticks, _, message in rows]


class _Clock:
    """Ticks to seconds while tempo messages come in, by the Standard MIDI File's rule."""

    def __init__(self, ticks_per_beat: int) -> None:
        self._per_beat = ticks_per_beat
        self._tempo = 500_000
        self._ticks = 0
        self._seconds = 0.0

    def at(self, ticks: int) -> float:
        return self._seconds + (ticks - self._ticks) * self._tempo / 1e6 / self._per_beat

    def change(self, ticks: int, tempo: int) -> None:
        self._seconds, self._ticks = self.at(ticks), ticks
        self._tempo = max(tempo, 1)


def read_midi(data: bytes, name: str = "the file") -> Score:
    """The score in a Standard MIDI File of format 0 or 1.

    Parameters
    ----------
    data : bytes
    name : str, optional
        What messages call the file.

    Returns
    -------
    Score

    Raises
    ------
    MidiError
        If the file is damaged, too long, or holds no notes.

    Examples
    --------
    >>> from caligo.document.held import held_chord
    >>> [note.pitch for note in read_midi(write_midi(held_chord("C2 G2", 4.0))).notes]
    [36, 43]
    """
    file = _parse(data, name)
    try:
        return _score(file, name)
    except ValidationError as error:
        what = error.errors(include_input=False)[0]
        place = ".".join(str(step) for step in what["loc"][:3])
        detail = f"{place}: {what['msg']}"[:LONGEST_REASON]
        raise MidiError(f"{name} is damaged ({detail}); export it again") from None


class _Gathered:
    """What has been read of a file's events so far."""

    def __init__(self) -> None:
        self.tempo: list[TempoChange] = []
        self.metre: list[MetreChange] = []
        self.markers: list[Marker] = []
        self.lanes: dict[int, list[LanePoint]] = defaultdict(list)
        self._down: dict[tuple[int, int], list[tuple[float, int]]] = defaultdict(list)
        self._notes: list[Note] = []
        self._end = 0.0

    def take(self, message: Any, now: float) -> None:
        """One event at a moment in seconds."""
        self._end = max(self._end, now)
        if message.type == "set_tempo":
            bpm = min(max(60e6 / max(message.tempo, 1), 10.0), 400.0)
            if self.tempo and self.tempo[-1].time == now:
                self.tempo.pop()
            self.tempo.append(TempoChange(time=now, bpm=bpm))
        elif message.type == "time_signature" and message.denominator <= 32:
            if self.metre and self.metre[-1].time == now:
                self.metre.pop()
            self.metre.append(
                MetreChange(
                    time=now, numerator=min(message.numerator, 32), denominator=message.denominator
                )
            )
        elif message.type in ("marker", "cue_marker"):
            number = len(self.markers) + 1
            self.markers.append(Marker(id=f"m{number}", time=now, name=message.text[:200]))
        elif message.type == "control_change" and message.control < 120:
            self.lanes[message.control].append(LanePoint(time=now, value=message.value / 127.0))
        elif message.type == "aftertouch":
            self.lanes[PRESSURE].append(LanePoint(time=now, value=message.value / 127.0))
        elif message.type == "pitchwheel":
            self.lanes[BEND].append(LanePoint(time=now, value=(message.pitch + 8192) / 16383.0))
        elif message.type == "note_on" and message.velocity > 0:
            self._down[message.channel, message.note].append((now, message.velocity))
        elif message.type in ("note_off", "note_on"):
            self._lift((message.channel, message.note), now)

    def _lift(self, key: tuple[int, int], now: float) -> None:
        if not self._down[key]:
            return
        start, velocity = self._down[key].pop(0)
        if now > start:
            number = len(self._notes) + 1
            self._notes.append(
                Note(
                    id=f"n{number}", pitch=key[1], start=start, length=now - start,
                    velocity=velocity,
                )
            )  # fmt: skip

    def notes(self) -> list[Note]:
        """All notes in order; those never let go end with the file."""
        for key in list(self._down):
            while self._down[key]:
                self._lift(key, max(self._end, self._down[key][0][0] + 1.0))
        self._notes.sort(key=lambda n: (n.start, n.pitch))
        for number, note in enumerate(self._notes, start=1):
            note.id = f"n{number}"
        return self._notes

    def length(self, notes: list[Note]) -> float:
        """How long the score is: to the last event or note, and a tail."""
        last = max(n.start + n.length for n in notes)
        return min(max(self._end, last) + TAIL, LONGEST_SCORE)


def _thinned(changes: list[TempoChange]) -> list[TempoChange]:
    """At most `MOST_CHANGES` of tempo changes: those that change it by more than the others.

    Sequencers write a ritardando as thousands of small steps.
    """
    least = 0.0
    kept = changes
    while len(kept) > MOST_CHANGES:
        least = 2.0 * least or 1e-4
        kept = changes[:1]
        for change in changes[1:]:
            if abs(math.log(change.bpm / kept[-1].bpm)) >= least:
                kept.append(change)
    return kept


def _fewer(points: list[LanePoint]) -> list[LanePoint]:
    """At most `MOST_POINTS` points of a controller, evenly taken."""
    step = -(-len(points) // MOST_POINTS)
    return points[::step] if step > 1 else points


def _score(file: Any, name: str) -> Score:
    """The score in a file that has been parsed."""
    clock = _Clock(file.ticks_per_beat)
    found = _Gathered()
    events = _absolute(file)
    count = sum(message.type == "note_on" and message.velocity > 0 for _, message in events)
    if count > MOST_NOTES:
        raise MidiError(
            f"{name} holds {count} notes; at most {MOST_NOTES} can be read. Export fewer tracks"
        )
    for ticks, message in events:
        now = clock.at(ticks)
        if now > LONGEST_SCORE:
            raise MidiError(f"{name} is longer than four hours; cut it to the cue")
        if message.type == "set_tempo":
            clock.change(ticks, message.tempo)
        found.take(message, now)
    notes = found.notes()
    if not notes:
        raise MidiError(f"{name} holds no notes; export the track that plays the chords")
    return Score(
        name=name.rsplit(".", 1)[0][:200],
        length=found.length(notes),
        tempo=_thinned(found.tempo) or [TempoChange()],
        metre=found.metre[:MOST_CHANGES] or [MetreChange()],
        notes=notes,
        lanes=[
            Lane(id=f"cc{number}", controller=number, points=_fewer(points))
            for number, points in sorted(found.lanes.items())
        ],
        markers=found.markers[:MOST_CHANGES],
    )


def _control(controller: int, value: float) -> Any:
    """A MIDI message for a lane's value, 0 to 1."""
    if controller == BEND:
        return mido.Message("pitchwheel", pitch=round(value * 16383) - 8192)
    if controller == PRESSURE:
        return mido.Message("aftertouch", value=round(value * 127))
    return mido.Message("control_change", control=controller, value=round(value * 127))


def write_midi(score: Score) -> bytes:
    """A Standard MIDI File (format 1) of a score: one track of tempo and markers, one of notes.

    Parameters
    ----------
    score : Score

    Returns
    -------
    bytes

    Examples
    --------
    >>> from caligo.document.held import held_chord
    >>> write_midi(held_chord("C2", 4.0))[:4]
    b'MThd'
    """
    tempo = TempoMap(score)

    def ticks(seconds: float) -> int:
        return round(tempo.beats(seconds) * TICKS_PER_BEAT)

    conductor = [
        (ticks(at), 0, mido.MetaMessage("set_tempo", tempo=round(60e6 / bpm)))
        for at, bpm in tempo.changes
    ]
    conductor += [
        (
            ticks(m.time),
            1,
            mido.MetaMessage("time_signature", numerator=m.numerator, denominator=m.denominator),
        )
        for m in score.metre
    ]
    conductor += [
        (
            ticks(m.time),
            2,
            mido.MetaMessage("marker", text=m.name.encode("latin-1", "replace").decode("latin-1")),
        )
        for m in score.markers
    ]
    played = [
        (
            ticks(p.time),
            0,
            _control(lane.controller, p.value),
        )
        for lane in score.lanes
        for p in lane.points
    ]
    for note in score.notes:
        played.append(
            (ticks(note.start), 2, mido.Message("note_on", note=note.pitch, velocity=note.velocity))
        )
        played.append(
            (
                ticks(note.start + note.length),
                1,
                mido.Message("note_off", note=note.pitch, velocity=0),
            )
        )
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_PER_BEAT)
    for rows in (conductor, played):
        track = mido.MidiTrack()
        before = 0
        for at, _, message in sorted(rows, key=lambda row: (row[0], row[1])):
            track.append(message.copy(time=at - before))
            before = at
        track.append(mido.MetaMessage("end_of_track", time=0))
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()
