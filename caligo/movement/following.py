"""Levels as functions of time: of a recording, and of a layer as far as its notes tell."""

from __future__ import annotations

import math

import numpy as np

from caligo.document.sound import Layer, Sound
from caligo.kernels import kernel
from caligo.material.recording import Recording
from caligo.movement.envelope import NoteEnvelope
from caligo.movement.modulator import Surroundings
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.movement.voices import as_notes, plan_layer_voices, zone_gains
from caligo.signal.decibels import gain

CELL = 0.01
"""Seconds from one point of a recording's level to the next."""
SILENCE = 1e-6


@kernel("f8[::1], f8, f8, f8[::1]")
def follow(level: np.ndarray, rise: float, fall: float, out: np.ndarray) -> None:
    """A level ``[points]`` smoothed by one pole, with a time for each direction, in points.

    It goes round twice, so that it comes round without a jump.
    """
    now = level[-1]
    for turn in range(2):
        for i in range(len(level)):
            wanted = level[i]
            slow = rise if wanted > now else fall
            now += (wanted - now) * (1.0 - math.exp(-1.0 / slow) if slow > 0.0 else 1.0)
            if turn == 1:
                out[i] = now


def recording_level(recording: Recording, rise: float, fall: float) -> Floats:
    """A recording's level in dB at every `CELL`, followed with two times in seconds ``[points]``.

    0 dB is the level of its loudest cell, so that it does not matter how loud it was recorded.
    """
    step = max(1, round(CELL * recording.rate))
    cells = max(1, recording.frames // step)
    power = np.empty(cells)
    for i in range(cells):
        piece = np.asarray(recording.samples[:, i * step : (i + 1) * step], dtype=np.float64)
        power[i] = np.mean(piece**2) if piece.size else 0.0
    level = 10.0 * np.log10(np.maximum(power / max(power.max(), 1e-20), SILENCE))
    out = np.empty(cells)
    follow(level, rise / CELL, fall / CELL, out)
    return out


def read_level(level: Floats, since: Floats) -> Floats:
    """A level that comes round, at any times in seconds since it began ``[…]``."""
    places = np.mod(since / CELL, len(level))
    first = np.floor(places).astype(np.int64)
    fraction = places - first
    first %= len(level)
    found: Floats = level[first] * (1.0 - fraction) + level[(first + 1) % len(level)] * fraction
    return found


class LayerLevel:
    """How loud a layer is, from its notes, envelope and key range: nothing is rendered.

    Everything counts as it is at rest; 0 dB is one note at full velocity and sustain.
    """

    def __init__(self, sound: Sound, layer: Layer, movement: Surroundings) -> None:
        still = Movement(sound, movement.setting.score, hold_still=True)
        setting = movement.setting
        voices = plan_layer_voices(sound, layer, setting.score.notes, setting.tempo)
        self._notes = as_notes(voices)
        path = f"{layer.id}.{layer.envelope.id}"
        self._envelope = NoteEnvelope(still, path, gain)
        softest = still.trajectory(f"{path}.velocity").base
        zones = zone_gains(layer, voices)
        self._power = (zones * gain(-softest * (1.0 - self._notes.velocity))) ** 2

    def values(self, times: Floats) -> Floats:
        """The level in dB ``[times]``: voices add up in power."""
        if not len(self._notes):
            return np.full(len(times), 10.0 * math.log10(SILENCE))
        levels = self._envelope.values(Moments(times, self._notes, self._notes))
        power = (self._power[:, None] * levels**2).sum(axis=0)
        found: Floats = 10.0 * np.log10(np.maximum(power, SILENCE))
        return found
