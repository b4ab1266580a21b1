"""The voices of a sound over a score, and the moments at which they are evaluated."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from caligo.document.score import Note
from caligo.document.sound import Layer, Sound
from caligo.document.tempo import TempoMap
from caligo.kernels import kernel
from caligo.movement.chance import combine, signed, wander_along
from caligo.movement.moments import ModulatorValues, Moments
from caligo.movement.notes import Floats, Notes
from caligo.movement.voices import (
    Glides,
    Tuning,
    Voice,
    as_notes,
    moved_pitch_values,
    pitch_values,
    plan_layer_voices,
    plan_voices,
)

DRIFT_PERIOD = 9.0
"""Seconds in which a drifting voice goes from one random pitch to the next."""


class Voicing:
    """All voices that play a score's notes, as a sound has them, or one layer in its own mode."""

    def __init__(
        self, sound: Sound, notes: Sequence[Note], tempo: TempoMap, layer: Layer | None = None
    ) -> None:
        self._sound, self._notes, self._tempo = sound, notes, tempo
        self._own: dict[str, Voicing] = {}
        self.voices = (
            plan_voices(sound, notes, tempo)
            if layer is None
            else plan_layer_voices(sound, layer, notes, tempo)
        )
        self.all = as_notes(self.voices)
        self.none = as_notes([])
        self.tuning = Tuning(sound.number("a4"), sound.scale)

    def of(self, layer: Layer) -> Voicing:
        """The voices of a layer: these, or others where it has a voice mode of its own."""
        if layer.text("voice_mode") == "sound":
            return self
        if layer.id not in self._own:
            self._own[layer.id] = Voicing(self._sound, self._notes, self._tempo, layer)
        return self._own[layer.id]

    def fundamentals(self) -> list[float]:
        """The pitches of all notes in Hz, without what layers add, lowest first."""
        keys = {key for voice in self.voices for _, key in voice.line}
        return [2.0 ** self.tuning.octaves(key) for key in sorted(keys)]

    def moments(
        self, times: Floats, notes: Notes, shared: ModulatorValues | None = None
    ) -> Moments:
        """The moments at `times` ``[times]`` at which parameters are evaluated for `notes`.

        `shared` holds what does not differ by note, for moments at the same times.
        """
        return Moments(times, notes, self.all, shared)

    def pitch(
        self,
        voices: Sequence[Voice],
        semitones: Floats,
        drift: Floats | None,
        times: Floats,
        glides: Glides | None = None,
    ) -> Floats:
        """Pitch in octaves over 1 Hz ``[voices, times]``.

        Parameters
        ----------
        semitones
            Whole semitones of transposition ``[voices, times]``, or ``[1, 1]`` where they stay.
        drift
            How far each voice's pitch wanders, in cents, likewise; None where it does not.
        glides
            Where they are moved.
        """
        if semitones.size == 1:
            out = pitch_values(voices, int(semitones[0, 0]), self.tuning, times, glides)
        else:
            out = moved_pitch_values(voices, semitones, self.tuning, times, glides)
        if drift is not None:
            for row, voice in enumerate(voices):
                cents = drift[row if len(drift) > 1 else 0]
                add_drift(out[row], times, cents / 1200.0, np.uint64(voice.seed))
        return out


@kernel("f8[::1], f8[::1], f8[::1], u8", allocates=True)
def add_drift(pitch: np.ndarray, times: np.ndarray, octaves: np.ndarray, seed: np.uint64) -> None:
    """Let a pitch ``[times]`` wander, as that of an oscillator without a crystal does.

    A third of the way is a fixed error of the voice, the rest wanders slowly around it.
    `octaves` is the way at every moment ``[times]``, or ``[1]``.
    """
    error = signed(combine(seed, 7), 0) / 3.0
    slow, quick = np.empty(len(times)), np.empty(len(times))
    wander_along(combine(seed, 8), times / DRIFT_PERIOD, slow)
    wander_along(combine(seed, 9), times / (0.23 * DRIFT_PERIOD), quick)
    for k in range(len(times)):
        fraction = octaves[k] if len(octaves) > 1 else octaves[0]
        pitch[k] += fraction * (error + 0.5 * slow[k] + (1.0 / 6.0) * quick[k])
