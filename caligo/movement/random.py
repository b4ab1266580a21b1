"""The random source: from a smooth drift to steps, at any moment without memory."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from caligo.catalogue import Kind, Module, Parameter, Scale, register
from caligo.movement.chance import signed
from caligo.movement.lfo import LONGEST_PERIOD, SHORTEST_PERIOD
from caligo.movement.modulator import Modulator
from caligo.movement.notes import Floats, Notes, cycles

OCTAVES = 5
"""Layers of ever quicker noise that roughness adds, as in fractal (1/f) noise."""


@njit(cache=True, nogil=True)
def drift(seed: np.uint64, position: float, steps: float) -> float:
    """A random function in [-1, 1] of `position`, new at each integer.

    `steps` goes from 0, always under way, to 1, waiting and then moving at once.
    """
    index = math.floor(position)
    x = position - index
    wait = 0.98 * steps
    x = max(x - wait, 0.0) / (1.0 - wait)
    a = signed(seed, int(index))
    b = signed(seed, int(index) + 1)
    return a + (b - a) * x * x * (3.0 - 2.0 * x)


@njit(cache=True, nogil=True)
def _course(
    turns: np.ndarray, seeds: np.ndarray, steps: float, roughness: float, out: np.ndarray
) -> None:
    total = 0.0
    weight = 1.0
    for _ in range(OCTAVES):
        total += weight * weight
        weight *= roughness
    # Independent layers add in power; dividing by the root keeps the range as wide as one.
    scale = 1.0 / math.sqrt(total)
    for row in range(turns.shape[0]):
        for k in range(turns.shape[1]):
            value = 0.0
            weight = 1.0
            position = turns[row, k]
            for octave in range(OCTAVES):
                if weight < 1e-6:
                    break
                value += weight * drift(seeds[row] + np.uint64(octave), position, steps)
                weight *= roughness
                position = position * 2.0 + 0.37
            out[row, k] = min(max(value * scale, -1.0), 1.0)


@register(
    Module(
        family="modulator",
        kind="random",
        name="Random",
        help="A random course that never repeats, from drifting to stepping.",
        parameters=(
            Parameter(
                "period",
                "Period",
                "Time between one random value and the next.",
                unit="s",
                low=SHORTEST_PERIOD,
                high=LONGEST_PERIOD,
                default=12.0,
                kind=Kind.TIME,
                scale=Scale.LOGARITHMIC,
            ),
            Parameter(
                "steps",
                "Smooth to stepped",
                "From drifting to waiting and jumping.",
                unit="%",
                high=100.0,
            ),
            Parameter(
                "roughness",
                "Roughness",
                "Adds quicker and quicker movement on top.",
                unit="%",
                high=100.0,
                default=20.0,
            ),
        ),
    )
)
class Random(Modulator):
    """A random modulator; with its own course in each note, or one for all."""

    def values(self, times: Floats, notes: Notes) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        turns = cycles(
            self.part.time("period"), self.setting.pace, times, notes, self.setting.tempo
        )
        out = np.empty_like(turns)
        _course(
            turns,
            notes.seed ^ np.uint64(self.seed),
            self.part.number("steps") / 100.0,
            0.8 * self.part.number("roughness") / 100.0,
            out,
        )
        return out
