"""The pitch that a layer's voices have: key, tuning and glide, transposed and drifting."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from caligo.engine.layers.voicing import Voicing
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats, seconds
from caligo.movement.voices import Glides, Voice


class LayerPitch:
    """What a layer, or one of its sources, makes of its voices' pitches.

    Parameters
    ----------
    octave
        Octaves by which a source is moved against its layer.
    """

    def __init__(self, layer: str, movement: Movement, octave: int = 0) -> None:
        self._own = 12.0 * octave
        self._octave = movement.trajectory(f"{layer}.octave")
        self._transpose = movement.trajectory(f"{layer}.transpose")
        self._drift = movement.trajectory(f"{layer}.drift")
        # In a mode of its own a layer has a glide of its own.
        mode = next(x.text("voice_mode") for x in movement.sound.layers if x.id == layer)
        self._glide = movement.trajectory("sound.glide" if mode == "sound" else f"{layer}.glide")
        self._tempo = movement.setting.tempo

    @property
    def moving(self) -> bool:
        """Whether a voice's pitch changes though its note does not glide."""
        return self._drift.acts or self._octave.moved or self._transpose.moved

    def lowest(self) -> float:
        """The least semitones that voices are transposed by."""
        return self._own + 12.0 * self._octave.reach()[0] + self._transpose.reach()[0]

    def highest(self, voicing: Voicing, voice: Voice) -> float:
        """Octaves over 1 Hz that a voice's pitch never passes."""
        semitones = self._own + 12.0 * self._octave.reach()[1] + self._transpose.reach()[1]
        key = max(key for _, key in voice.line) + math.ceil(semitones)
        return voicing.tuning.octaves(key) + self._drift.reach()[1] / 1200.0

    def values(self, voicing: Voicing, voices: Sequence[Voice], moments: Moments) -> Floats:
        """Pitch in octaves over 1 Hz ``[voices, times]``."""
        if self._octave.moved or self._transpose.moved:
            octaves = 12.0 * self._octave.values(moments)
            semitones = self._own + octaves + self._transpose.values(moments)
        else:
            semitones = np.array([[self._own + 12.0 * self._octave.base + self._transpose.base]])
        drift = self._drift.compact(moments) if self._drift.acts else None
        glides = self._glides(voices, moments) if self._glide.moved else None
        return voicing.pitch(voices, semitones, drift, moments.times, glides)

    def _glides(self, voices: Sequence[Voice], moments: Moments) -> Glides:
        """How long each step of a voice's line takes: read once, as the step begins."""
        found = []
        for row, voice in enumerate(voices):
            steps = np.array([moment for moment, _ in voice.line[1:]])
            if len(steps) == 0:
                found.append(steps)
                continue
            note = moments.notes.row(row)
            values = self._glide.values(Moments(steps, note, moments.started))[0]
            # Beats count from the step on.
            found.append(seconds(values, self._glide.unit, replace(note, start=steps), self._tempo))
        return found
