"""One-pole smoothing."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray


def one_pole(hertz: float, rate: int) -> float:
    """The coefficient of a one-pole low-pass with this cutoff.

    ``y += coefficient * (x - y)``, impulse invariance (Oppenheim and Schafer, section 7.2; from
    memory).

    Examples
    --------
    >>> round(one_pole(100.0, 48_000), 5)
    0.013
    """
    return 1.0 - math.exp(-2.0 * math.pi * hertz / rate)


def one_pole_delay(turn: NDArray[np.float64], fraction: NDArray[np.float64]) -> NDArray[np.float64]:
    """Samples by which a one-pole delays a sine: the phase of ``s / (1 - (1 - s) z^-1)`` over it.

    `turn` are radians in a sample, `fraction` that of `one_pole` ``[...]``, both of like shapes.
    """
    rest = 1.0 - fraction
    found: NDArray[np.float64] = np.arctan2(rest * np.sin(turn), 1.0 - rest * np.cos(turn)) / turn
    return found


def one_pole_at(hertz: NDArray[np.float64], rate: int) -> NDArray[np.float64]:
    """`one_pole` for a cutoff that moves ``[ticks + 1]``, or one that stays ``[1]``."""
    if hertz.size == 1:
        return np.array([one_pole(float(hertz[0]), rate)])
    found: NDArray[np.float64] = 1.0 - np.exp(-2.0 * np.pi * hertz / rate)
    return found
