"""The notes that movement is computed for, as arrays with one row a note."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from caligo.document.tempo import TempoMap
from caligo.document.times import TimeUnit

Floats = NDArray[np.float64]

OPEN_HOLD = 8.0
"""Seconds that a key played live counts as held, for times given as a share of the note."""


@dataclass(frozen=True, slots=True)
class Notes:
    """Notes as arrays ``[notes]``: what per-note movement depends on.

    Parameters
    ----------
    start, length
        Seconds; the length is infinite while a key is still down.
    hold
        The length that fractions of the note refer to; finite.
    key
        MIDI key number, velocity 0 to 1.
    seed
        A number of its own for each note, for what is random per note.
    """

    start: Floats
    length: Floats
    hold: Floats
    key: Floats
    velocity: Floats
    seed: NDArray[np.uint64]

    def __len__(self) -> int:
        return len(self.start)

    def row(self, index: int) -> Notes:
        """One of the notes, alone."""
        return self.pick(slice(index, index + 1))

    def pick(self, pick: slice | list[int]) -> Notes:
        """Some of the notes."""
        return Notes(
            self.start[pick],
            self.length[pick],
            self.hold[pick],
            self.key[pick],
            self.velocity[pick],
            self.seed[pick],
        )


@lru_cache(maxsize=64)
def whole(length: float) -> Notes:
    """The sound itself as one long note, for movement shared by all notes; not to be written to."""
    span = np.array([length])
    return Notes(
        np.zeros(1), span, span, np.full(1, 60.0), np.full(1, 0.7), np.zeros(1, dtype=np.uint64)
    )


def seconds(values: Floats, unit: TimeUnit, notes: Notes, tempo: TempoMap) -> Floats:
    """Times in seconds for each note ``[notes]``, given in `unit`; beats count from its start."""
    if unit == "s":
        return values
    if unit == "hold":
        return notes.hold * values
    beats = tempo.beats_at(notes.start) + values
    return np.array([tempo.seconds(b) for b in beats]) - notes.start
