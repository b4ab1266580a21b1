"""The voices of a sound over a score, and the movement frame at any stretch of time."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.document.score import Note
from caligo.document.sound import Layer, Sound
from caligo.document.tempo import TempoMap
from caligo.movement.chance import combine, signed, wander
from caligo.movement.notes import Floats, Notes
from caligo.movement.routes import Courses, Frame
from caligo.movement.voices import Tuning, Voice, as_notes, pitch_course, plan_voices

DRIFT_PERIOD = 9.0
"""Seconds in which a drifting voice goes from one random pitch to the next."""


class Voicing:
    """All voices that play a score's notes, as one sound has them."""

    def __init__(self, sound: Sound, notes: Sequence[Note], tempo: TempoMap) -> None:
        self.voices = plan_voices(sound, notes, tempo)
        self.all = as_notes(self.voices)
        self.none = as_notes([])
        self.tuning = Tuning(sound.number("a4"), sound.scale)

    def newest(self, times: Floats) -> NDArray[np.int64]:
        """The newest voice at each of `times`, or -1 before the first."""
        found: NDArray[np.int64] = np.searchsorted(self.all.start, times, side="right") - 1
        return found

    def frame(self, times: Floats, notes: Notes, shared: Courses | None = None) -> Frame:
        """The frame in which parameters are evaluated at `times` for `notes`.

        `shared` holds what does not differ by note, for frames of the same moments.
        """
        return Frame(times, notes, self.newest(times), self.all, shared)

    def pitch(self, voices: Sequence[Voice], transpose: int, drift: float, times: Floats) -> Floats:
        """Pitch in octaves over 1 Hz ``[voices, times]``; `drift` in cents, each voice its own."""
        out = pitch_course(voices, transpose, self.tuning, times)
        if drift > 0.0:
            for row, voice in enumerate(voices):
                add_drift(out[row], times, drift / 1200.0, np.uint64(voice.seed))
        return out


@njit(cache=True, nogil=True)
def add_drift(pitch: np.ndarray, times: np.ndarray, octaves: float, seed: np.uint64) -> None:
    """Let a pitch ``[times]`` wander, as that of an oscillator without a crystal does.

    A third of the way is a fixed error of the voice, the rest wanders slowly around it.
    """
    error = signed(combine(seed, 7), 0) / 3.0
    for k in range(len(times)):
        slow = wander(combine(seed, 8), times[k] / DRIFT_PERIOD)
        quick = wander(combine(seed, 9), times[k] / (0.23 * DRIFT_PERIOD))
        pitch[k] += octaves * (error + 0.5 * slow + (1.0 / 6.0) * quick)


def _fade(value: float, low: float, high: float, width: float) -> float:
    """1 inside the range, 0 outside, and a line across `width` at borders that do not end it."""
    if not low <= value <= high:
        return 0.0
    gain = 1.0
    if width > 0:
        if low > 0:
            gain = min(gain, (value - low + 1) / (width + 1))
        if high < 127:
            gain = min(gain, (high - value + 1) / (width + 1))
    return gain


def zone_gain(layer: Layer, voice: Voice) -> float:
    """How much of a voice a layer plays, by its key and velocity range."""
    key = _fade(
        voice.key, layer.number("key_low"), layer.number("key_high"), layer.number("key_fade")
    )
    velocity = _fade(
        round(voice.velocity * 127),
        layer.number("velocity_low"),
        layer.number("velocity_high"),
        layer.number("velocity_fade"),
    )
    return key * velocity
