"""Seconds to beats and back, through a score's tempo changes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score


class TempoMap:
    """Piecewise constant tempo, as a Standard MIDI File has it.

    Examples
    --------
    A quarter note at 120 BPM lasts half a second (2 Hz; common practice):

    >>> from caligo.document.score import Score
    >>> TempoMap(Score()).beats(1.0)
    2.0
    """

    def __init__(self, score: Score) -> None:
        changes = sorted((t.time, t.bpm) for t in score.tempo)
        if not changes or changes[0][0] > 0:
            changes.insert(0, (0.0, changes[0][1] if changes else 120.0))
        self._seconds = np.array([t for t, _ in changes])
        self._rates = np.array([bpm / 60.0 for _, bpm in changes])
        steps = np.diff(self._seconds) * self._rates[:-1]
        self._beats = np.concatenate([[0.0], np.cumsum(steps)])

    def beats_at(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Beats passed since the start at each of `seconds` ``[...]``, of any shape."""
        where = np.maximum(np.searchsorted(self._seconds, seconds, side="right") - 1, 0)
        found: NDArray[np.float64] = (
            self._beats[where] + (seconds - self._seconds[where]) * self._rates[where]
        )
        return found

    def beats(self, seconds: float) -> float:
        """Beats passed at one moment."""
        return float(self.beats_at(np.array([seconds]))[0])

    def seconds_at(self, beats: NDArray[np.float64]) -> NDArray[np.float64]:
        """The moments at which so many beats have passed ``[...]``, of any shape."""
        where = np.maximum(np.searchsorted(self._beats, beats, side="right") - 1, 0)
        found: NDArray[np.float64] = (
            self._seconds[where] + (beats - self._beats[where]) / self._rates[where]
        )
        return found

    def seconds(self, beats: float) -> float:
        """The moment at which so many beats have passed."""
        return float(self.seconds_at(np.array([beats]))[0])

    @property
    def changes(self) -> Sequence[tuple[float, float]]:
        """The moments in seconds and the beats per minute from then on."""
        return [
            (float(t), float(r) * 60.0) for t, r in zip(self._seconds, self._rates, strict=True)
        ]
