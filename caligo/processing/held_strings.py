"""Which string answers which note: strings that are tuned to the notes that are held.

A function of time and of the notes that have begun, so that any start finds the same.
"""

from __future__ import annotations

import numpy as np

from caligo.movement.notes import Floats, Notes
from caligo.movement.voices import Tuning

FADE = 0.01
"""Seconds in which a string that takes up another note falls silent, and comes again."""
PERIODS = 2.0
"""Periods of its new pitch for which it then gives nothing back, so that the old one is gone."""
UNTUNED = 100.0
"""Hertz of a string before its first note; it is silent."""


def assigned(notes: Notes, count: int) -> list[list[int]]:
    """The notes that each of `count` strings takes up, one after the other, by their rows.

    A note takes the string that has been free for longest, or else the one whose note began first.
    """
    strings: list[list[int]] = [[] for _ in range(count)]
    ends = notes.start + notes.length

    def readiness(string: int, now: float) -> tuple[bool, float]:
        if not strings[string]:
            return False, -np.inf
        last = strings[string][-1]
        held = bool(ends[last] > now)
        return held, float(notes.start[last] if held else ends[last])

    for row in np.argsort(notes.start, kind="stable"):
        now = float(notes.start[row])
        strings[min(range(count), key=lambda s: readiness(s, now))].append(int(row))
    return strings


class HeldStrings:
    """Strings over time.

    Parameters
    ----------
    count
        How many there are.
    tuning
        What keys are tuned to.
    """

    def __init__(self, count: int, tuning: Tuning) -> None:
        self._count = count
        self._tuning = tuning
        self._notes: Notes | None = None
        self._strings: list[tuple[Floats, Floats, Floats]] = []

    def _take(self, notes: Notes) -> None:
        """Find starts, ends and Hertz of each string's notes ``[notes]``."""
        self._notes = notes
        self._strings = []
        for rows in assigned(notes, self._count):
            hertz = [2.0 ** self._tuning.octaves(int(key)) for key in notes.key[rows]]
            start = notes.start[rows]
            self._strings.append((start, start + notes.length[rows], np.array(hertz)))

    def at(self, notes: Notes, times: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        """What all strings are at `times` ``[times]``, with all `notes` that begin.

        Returns
        -------
        hertz
            Their pitches ``[strings, times]``.
        fed, kept, heard
            How much of what comes in they take, of what they hold they keep, and of what they give
            is heard: shares ``[strings, times]``.
        """
        if notes is not self._notes:
            self._take(notes)
        shape = (self._count, len(times))
        hertz, kept = np.full(shape, UNTUNED), np.ones(shape)
        fed, heard = np.zeros(shape), np.zeros(shape)
        for s, (starts, ends, pitches) in enumerate(self._strings):
            if not len(starts):
                continue
            last = np.searchsorted(starts, times, side="right") - 1
            began = last >= 0
            now, before = np.maximum(last, 0), np.maximum(last - 1, 0)
            since = times - starts[now]
            first = last == 0
            # It falls silent at its old pitch, is emptied at the new one, and comes again.
            leaving = ~first & (since < FADE)
            emptied = FADE + PERIODS / pitches[now]
            empty = ~first & ~leaving & (since < emptied)
            hertz[s] = np.where(leaving, pitches[before], pitches[now])
            kept[s] = np.where(empty, 0.0, 1.0)
            coming = np.clip((since - np.where(first, 0.0, emptied)) / FADE, 0.0, 1.0)
            heard[s] = np.where(leaving, 1.0 - since / FADE, np.where(empty, 0.0, coming)) * began
            end = np.where(leaving, ends[before], ends[now])
            fed[s] = np.clip(1.0 - (times - end) / FADE, 0.0, 1.0) * began
        return hertz, fed, kept, heard
