"""Parameters that sources share: tuning and level of a voice, and unison."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from caligo.catalogue import Choice, Kind, Moves, Parameter, Scale
from caligo.document.sound import Part
from caligo.movement.chance import derive, signed
from caligo.movement.notes import Floats

PATTERNS: dict[str, tuple[str, tuple[float, ...]]] = {
    "same": ("All on the note", (0.0,)),
    "octaves": ("Octaves up and down", (0.0, 12.0, -12.0)),
    "octave_up": ("Octaves up", (0.0, 12.0)),
    "octave_down": ("Octaves down", (0.0, -12.0)),
    "fifths": ("Fifths", (0.0, 7.0)),
    "fifths_octaves": ("Fifths and octaves", (0.0, 7.0, 12.0, -12.0)),
}
"""Interval patterns of unison by key: name, and semitones that the voices take in turn."""
OWN = "own"


_SCATTER = Parameter(
    "scatter",
    "Phase scatter",
    "How differently the oscillators begin.",
    group="Unison",
    seeded=True,
    unit="%",
    high=100.0,
    default=100.0,
)
_IRREGULARITY = Parameter(
    "irregularity",
    "Irregularity",
    "How unevenly the oscillators are tuned: even ones beat alike again every few seconds.",
    group="Unison",
    when=("unison", ()),
    seeded=True,
    unit="%",
    high=100.0,
    default=70.0,
    moves=Moves.PER_NOTE,
)
_DRIFT = Parameter(
    "drift",
    "Drift",
    "How far each oscillator strays from its tuning, by itself and at its own speed.",
    group="Unison",
    when=("unison", ()),
    seeded=True,
    unit="ct",
    high=25.0,
    default=2.0,
    moves=Moves.PER_NOTE,
)
MOST_IRREGULAR = 0.48
"""The fraction of the distance to its neighbours by which an oscillator moves at most."""


def voice_parameters() -> tuple[Parameter, ...]:
    """Fine tuning and level of each note."""
    return (
        Parameter(
            "fine",
            "Fine",
            "Tunes the source by cents.",
            group="Pitch and level",
            unit="ct",
            low=-1200.0,
            high=1200.0,
            moves=Moves.PER_NOTE,
        ),
        level_parameter(),
    )


def level_parameter() -> Parameter:
    """Level of each note."""
    return Parameter(
        "level",
        "Source level",
        "Loudness of each note at the source.",
        group="Pitch and level",
        unit="dB",
        low=-80.0,
        high=12.0,
        scale=Scale.DECIBEL,
        moves=Moves.PER_NOTE,
    )


def unison_parameters(*, scatter: bool = True) -> tuple[Parameter, ...]:
    """How many sound for each note, how they are tuned and where they are heard.

    Sources whose voices begin differently by themselves leave `scatter` out.
    """
    choices = [Choice(key, name) for key, (name, _) in PATTERNS.items()]
    return (
        Parameter(
            "unison",
            "Unison",
            "Oscillators for each note.",
            group="Unison",
            off=1,
            low=1,
            high=24,
            default=1,
            kind=Kind.INTEGER,
        ),
        Parameter(
            "pattern",
            "Intervals",
            "The intervals that the oscillators take in turn.",
            group="Unison",
            default="same",
            kind=Kind.CHOICE,
            choices=(*choices, Choice(OWN, "Own list")),
        ),
        Parameter(
            "intervals",
            "Own intervals",
            "Semitones above the note, one after the other.",
            group="Unison",
            unit="st",
            low=-36.0,
            high=36.0,
            default="0 7 12",
            kind=Kind.NUMBERS,
            most=24,
            when=("pattern", (OWN,)),
        ),
        Parameter(
            "detune",
            "Detune",
            "How far the outer oscillators lie either side.",
            group="Unison",
            when=("unison", ()),
            unit="ct",
            high=100.0,
            default=10.0,
            moves=Moves.PER_NOTE,
        ),
        Parameter(
            "spread",
            "Spread",
            "How far the oscillators spread in stereo.",
            group="Unison",
            when=("unison", ()),
            unit="%",
            high=100.0,
            default=70.0,
            moves=Moves.PER_NOTE,
        ),
        _IRREGULARITY,
        _DRIFT,
        *((_SCATTER,) if scatter else ()),
    )


def _uneven(count: int, seed: int) -> Floats:
    """How far each of `count` places from -1 to 1 lies beside an even one, at most ``[count]``."""
    found = np.zeros(count)
    distance = MOST_IRREGULAR * 2.0 / (count - 1)
    own = np.uint64(derive(seed, 11))
    for o in range(1, count - 1):
        chance = signed(own, o)
        # At least half of the way, so that no chance makes them even.
        found[o] = distance * math.copysign(0.5 + 0.5 * abs(chance), chance)
    return found


@dataclass(frozen=True, slots=True)
class Unison:
    """The oscillators of a source in unison, each array ``[oscillators]``.

    Attributes
    ----------
    even
        Fractions of detune and spread from -1 to 1. They run from left to right within each
        interval, so that every interval is heard on both channels.
    uneven
        What full irregularity adds to them.
    intervals
        Cents above the note.
    """

    even: Floats
    uneven: Floats
    intervals: Floats

    def offsets(self, irregularity: float) -> Floats:
        """The fractions ``[oscillators]`` at an irregularity in per cent."""
        found: Floats = self.even + self.uneven * (irregularity / 100.0)
        return found


def unison(part: Part, seed: int) -> Unison:
    """A source's oscillators; `seed` makes their places uneven."""
    count = int(part.number("unison"))
    name = part.text("pattern")
    steps = part.numbers("intervals") if name == OWN else list(PATTERNS[name][1])
    intervals = np.array([100.0 * (steps or [0.0])[i % len(steps or [0])] for i in range(count)])
    even, uneven = np.zeros(count), np.zeros(count)
    for interval in set(intervals.tolist()):
        among = np.flatnonzero(intervals == interval)
        if len(among) > 1:
            even[among] = np.linspace(-1.0, 1.0, len(among))
            uneven[among] = _uneven(len(among), seed)
        elif count > 1:
            even[among] = -1.0 + 2.0 * among[0] / (count - 1)
    return Unison(even, uneven, intervals)
