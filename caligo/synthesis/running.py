"""Running phases that begin anew now and then, so that a start at any minute is quick.

Each bin has two phases that run on from frame to frame alike. The newer of the two began, at
random, up to `PERIOD` frames ago, the older one a period earlier. What is heard turns from the
older to the newer over the period, by the shorter way: at most half a cycle in some ten seconds,
which no ear takes for a change of pitch. Pyramid stay as they are throughout, and nobody has to
know what happened more than two periods ago.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import device, kernel
from caligo.movement.chance import combine, unit
from caligo.signal.arrays import copy

PERIOD = 512
"""Frames from one beginning to the next: 10.9 s at 48 kHz."""


def oldest(frame: int, began: int) -> int:
    """The frame from which phases have to be run to be known at `frame`.

    Parameters
    ----------
    frame, began
        Numbers on the absolute grid of frames: the one asked for, and the voice's first.

    Examples
    --------
    >>> oldest(100, 0), oldest(1023, 0), oldest(1024, 0), oldest(5300, 7)
    (0, 0, 512, 4615)
    """
    return began + max(0, (frame - began) // PERIOD - 1) * PERIOD


@kernel("u8, i8, f8[::1]")
def random_phases(seed: np.uint64, turn: int, phase: np.ndarray) -> None:
    """Random phases in cycles ``[bins]``, the same for four neighbouring bins."""
    own = combine(seed, turn)
    for k in range(len(phase)):
        phase[k] = unit(own, k >> 2)


@device(allocates=True)
def begin_anew(seed: np.uint64, frame: int, phases: np.ndarray) -> None:
    """Where a period begins, the newer phases become the older ``[2, bins]``.

    `frame` counts from the voice's first.
    """
    if frame % PERIOD == 0:
        copy(phases[1], phases[0])
        random_phases(seed, frame // PERIOD, phases[1])
        if frame == 0:
            copy(phases[1], phases[0])


@device
def heard(phases: np.ndarray, frame: int, out: np.ndarray) -> None:
    """What is heard of the older and the newer phases ``[2, bins]`` in a frame ``[bins]``."""
    x = (frame % PERIOD) / PERIOD
    fraction = x * x * (3.0 - 2.0 * x)
    for k in range(len(out)):
        apart = phases[1, k] - phases[0, k]
        out[k] = phases[0, k] + fraction * (apart - math.floor(apart + 0.5))
