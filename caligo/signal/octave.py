"""A pitch shifter for what goes round in a loop: two readings of a line that take turns."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import device
from caligo.signal.arrays import copy
from caligo.signal.delay_line import add_tap
from caligo.signal.ticks import TICK

WINDOW = 0.09
"""Seconds that a reading runs along before the other one takes over."""
NEAREST = 4.0
"""Samples behind the newest one that a reading comes at most, besides what it gains in a tick."""


@device(allocates=True)
def shift_pitch(
    signal: np.ndarray, line: np.ndarray, at: int, rate: float, speed: float, phase: float
) -> float:
    """Shift a tick `signal` ``[TICK]`` in place by `speed`, 2 for an octave up.

    Parameters
    ----------
    line
        A ring ``[size]``, longer than the window.
    at
        The index of the tick's first sample.
    phase
        Where the first reading is in its window, 0 to 1.

    Returns
    -------
    float
        The phase after the tick.
    """
    mask = len(line) - 1
    here = at & mask
    for n in range(TICK):
        line[here + n] = signal[n]
    window = WINDOW * rate
    step = (speed - 1.0) / window
    margin = NEAREST + TICK * abs(speed - 1.0)
    out = np.zeros(TICK, np.float32)
    one = np.empty(TICK, np.float32)
    for reading in range(2):
        position = phase + 0.5 * reading
        position -= math.floor(position)
        # Faster than the line: the reading starts a window back and comes nearer.
        away = (1.0 - position if step > 0.0 else position) * window
        one[:] = 0.0
        end = position + abs(step) * TICK
        add_tap(line, at, away + margin, -step * window, 1.0, one)
        for n in range(TICK):
            place = position + (end - position) * n / TICK
            # Cosine windows half a window apart add up to one.
            weight = 0.5 - 0.5 * math.cos(2.0 * math.pi * place)
            out[n] += np.float32(weight) * one[n]
    copy(out, signal)
    phase += abs(step) * TICK
    return phase - math.floor(phase)
