"""Which notes sound when: voice limits, mono and legato lines, glides, all from the score alone."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from caligo.document.pitch import frequency
from caligo.document.score import Note
from caligo.document.sound import Layer, Part, Sound, TuningScale
from caligo.document.tempo import TempoMap
from caligo.document.times import Time
from caligo.movement.chance import derive, text_seed
from caligo.movement.notes import OPEN_HOLD, Floats, Notes, seconds
from caligo.movement.zones import zone_gain

AT_ONCE = 1e-6
"""Seconds of a glide that is a step."""


@dataclass(frozen=True, slots=True)
class Voice:
    """A sounding note and all that its sound depends on.

    Parameters
    ----------
    name
        The note's id, with the time it is taken up again where a line returns to it.
    line
        ``(moment, key)`` pairs: the keys that the pitch passes through, the first at the start.
    cut
        The moment from which the voice makes room for another; infinite if it never does.
    """

    name: str
    key: int
    start: float
    length: float
    velocity: float
    seed: int
    line: tuple[tuple[float, int], ...]
    glide: float = 0.0
    cut: float = math.inf

    @property
    def hold(self) -> float:
        """The length that fractions of the note refer to."""
        return self.length if math.isfinite(self.length) else OPEN_HOLD

    @property
    def steady(self) -> bool:
        """Whether the pitch stays where it started."""
        return len(self.line) == 1


def as_notes(voices: Sequence[Voice]) -> Notes:
    """Voices as the arrays that movement is computed from."""
    return Notes(
        start=np.array([v.start for v in voices], dtype=np.float64),
        length=np.array([v.length for v in voices], dtype=np.float64),
        hold=np.array([v.hold for v in voices], dtype=np.float64),
        key=np.array([v.key for v in voices], dtype=np.float64),
        velocity=np.array([v.velocity for v in voices], dtype=np.float64),
        seed=np.array([v.seed for v in voices], dtype=np.uint64),
    )


def zone_gains(part: Part, voices: Sequence[Voice]) -> Floats:
    """How much of each voice a layer or source plays ``[voices]``."""
    found = [zone_gain(part, voice.key, round(voice.velocity * 127)) for voice in voices]
    return np.array(found, dtype=np.float64)


def _plain(note: Note) -> Voice:
    """A voice for a note, on its own."""
    seed = derive(text_seed(note.id), note.pitch)
    return Voice(
        note.id,
        note.pitch,
        note.start,
        note.length,
        note.velocity / 127.0,
        seed,
        ((note.start, note.pitch),),
    )


def _poly(notes: list[Note], limit: int) -> list[Voice]:
    """Each note a voice; where more than `limit` are held, one makes room.

    It is the same key if that is held, else the oldest that is not the lowest: the bass of a
    chord is missed most.
    """
    voices: list[Voice] = []
    sounding: list[int] = []
    for note in notes:
        # Notes come in order: what has ended, or makes room, never sounds again.
        sounding = [
            i
            for i in sounding
            if voices[i].start + voices[i].length > note.start and voices[i].cut == math.inf
        ]
        if len(sounding) >= limit:
            lowest = min(sounding, key=lambda i: voices[i].key)
            same = [i for i in sounding if voices[i].key == note.pitch]
            spare = [i for i in sounding if i != lowest]
            given = (same or spare or sounding)[0]
            voices[given] = replace(voices[given], cut=note.start)
        sounding.append(len(voices))
        voices.append(_plain(note))
    return voices


def _line(notes: list[Note]) -> list[tuple[float, float, Note]]:
    """The single line that mono and legato play: (from, to, note), the newest held note first."""
    edges = sorted({n.start for n in notes} | {n.start + n.length for n in notes})
    line: list[tuple[float, float, Note]] = []
    for a, b in itertools.pairwise(edges):
        held = [n for n in notes if n.start <= a and n.start + n.length >= b]
        if not held:
            continue
        newest = max(held, key=lambda n: (n.start, n.pitch))
        if line and line[-1][2] is newest and line[-1][1] == a:
            line[-1] = (line[-1][0], b, newest)
        else:
            line.append((a, b, newest))
    return line


def _single(notes: list[Note], glide: float, legato: bool) -> list[Voice]:
    """One voice at a time; legato joins notes that touch, mono starts each anew."""
    voices: list[Voice] = []
    for a, b, note in _line(notes):
        before = voices[-1] if voices else None
        touching = before is not None and before.start + before.length == a
        if before is not None and touching and legato:
            voices[-1] = replace(
                before, length=b - before.start, line=(*before.line, (a, note.pitch))
            )
            continue
        name = note.id if a == note.start else f"{note.id}@{a}"
        fresh = replace(_plain(note), name=name, start=a, length=b - a, glide=glide)
        if before is not None and touching:
            voices[-1] = replace(before, cut=a)
            line = ((a - 1e-9, before.line[-1][1]), (a, note.pitch))
            fresh = replace(fresh, line=line)
        else:
            fresh = replace(fresh, line=((a, note.pitch),))
        voices.append(fresh)
    return voices


def plan_voices(sound: Sound, notes: Sequence[Note], tempo: TempoMap) -> list[Voice]:
    """The voices that play `notes`, in the order in which they start."""
    return _planned(sound, notes, tempo, sound.text("mode"), sound.time("glide"))


def plan_layer_voices(
    sound: Sound, layer: Layer, notes: Sequence[Note], tempo: TempoMap
) -> list[Voice]:
    """The voices of one layer: the sound's, or in a voice mode of its own.

    A line of its own is made of the notes in the layer's range alone: a bass under a chord does
    not fall silent because of what is played above it.
    """
    mode = layer.text("voice_mode")
    if mode == "sound":
        return plan_voices(sound, notes, tempo)
    own = [note for note in notes if zone_gain(layer, note.pitch, note.velocity) > 0.0]
    return _planned(sound, own, tempo, mode, layer.time("glide"))


def _planned(
    sound: Sound, notes: Sequence[Note], tempo: TempoMap, mode: str, time: Time
) -> list[Voice]:
    ordered = sorted(notes, key=lambda n: (n.start, n.pitch, n.id))
    if mode == "poly":
        return _poly(ordered, int(sound.number("voices")))
    one = as_notes([_plain(ordered[0])]) if ordered else None
    glide = 0.0
    if one is not None:
        glide = float(seconds(np.array([time.value]), time.unit, one, tempo)[0])
    return _single(ordered, glide, legato=mode == "legato")


class Tuning:
    """Keys to octaves over 1 Hz: equal temperament, or a scale of its own.

    A scale repeats at its last degree, and its root keeps its equal-tempered frequency; the
    reading follows the Scala scale file format.
    """

    def __init__(self, a4: float, scale: TuningScale | None) -> None:
        self._a4 = a4
        self._scale = scale
        self._known: dict[int, float] = {}

    def octaves(self, key: int) -> float:
        """log2 of a key's frequency in Hz."""
        if key not in self._known:
            self._known[key] = self._octaves(key)
        return self._known[key]

    def _octaves(self, key: int) -> float:
        scale = self._scale
        if scale is None:
            return math.log2(frequency(key, self._a4))
        repeats, degree = divmod(key - scale.root, len(scale.cents))
        cents = repeats * scale.cents[-1] + (scale.cents[degree - 1] if degree else 0.0)
        return math.log2(frequency(scale.root, self._a4)) + cents / 1200.0


Glides = Sequence[Floats]
"""For each voice how long it takes to reach each key of its line but the first, in seconds."""


def pitch_values(
    voices: Sequence[Voice],
    transpose: int,
    tuning: Tuning,
    times: Floats,
    glides: Glides | None = None,
) -> Floats:
    """Each voice's pitch in octaves over 1 Hz ``[voices, times]``, glides included.

    Without `glides` every step of a voice takes as long.
    """
    out = np.empty((len(voices), len(times)))
    for row, voice in enumerate(voices):
        previous = tuning.octaves(voice.line[0][1] + transpose)
        out[row] = previous
        for step, (moment, key) in enumerate(voice.line[1:]):
            here = tuning.octaves(key + transpose)
            glide = voice.glide if glides is None else float(glides[row][step])
            if glide > AT_ONCE:
                fraction = np.clip((times - moment) / glide, 0.0, 1.0)
            else:
                fraction = (times >= moment).astype(np.float64)
            out[row] += (here - previous) * fraction
            previous = here
    return out


def moved_pitch_values(
    voices: Sequence[Voice],
    semitones: Floats,
    tuning: Tuning,
    times: Floats,
    glides: Glides | None = None,
) -> Floats:
    """`pitch_values` where the transposition moves: whole semitones ``[voices, times]``."""
    out = np.empty((len(voices), len(times)))
    for row, voice in enumerate(voices):
        steps = semitones[row if len(semitones) > 1 else 0]
        for step in np.unique(steps):
            here = steps == step
            own = None if glides is None else [glides[row]]
            out[row, here] = pitch_values([voice], int(step), tuning, times[here], own)[0]
    return out
