"""The state-variable filter in trapezoidal form, as every filter of the catalogue uses it.

Source: A. Simper, "Solving the continuous SVF equations using trapezoidal integration and
equivalent currents" (2013), after V. Zavalishin, "The Art of VA Filter Design"; equations from
memory. Its response equals that of the Audio EQ Cookbook's biquads at the same frequency and Q.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device

BUTTERWORTH_2 = math.sqrt(0.5)
"""Q of a maximally flat second-order low-pass."""
BUTTERWORTH_4 = (0.541196100146197, 1.306562964876377)
"""Q of the two halves of a maximally flat fourth-order low-pass: 1 / (2 cos(pi/8)), (3 pi/8)."""
SHARPEST = 24.0
"""Q over the flat one at full resonance."""
HIGHEST = 0.49
"""Highest corner as a fraction of the sample rate."""


@device(fastmath=CONTRACT)
def coefficients(g: float, d: float) -> tuple[float, float, float]:
    """Of one stage at one sample, or of eight packed in vectors: a1, a2 and a3 of the source."""
    a1 = 1.0 / (1.0 + g * (g + d))
    a2 = g * a1
    return a1, a2, g * a2


@device(fastmath=CONTRACT)
def step(
    x: float, s1: float, s2: float, a: tuple[float, float, float]
) -> tuple[float, float, float, float]:
    """One sample through one stage: its band-pass and low-pass, and both integrators after it."""
    y = x - s2
    band = a[0] * s1 + a[1] * y
    low = s2 + a[1] * s1 + a[2] * y
    return band, low, 2.0 * band - s1, 2.0 * low - s2


def sharpness(resonance: NDArray[np.float64], steep: bool) -> NDArray[np.float64]:
    """1 / Q of each stage ``[voices, stages, ticks]`` for a resonance of 0 to 100 %."""
    rise = SHARPEST ** (resonance / 100.0)
    if not steep:
        return 1.0 / (BUTTERWORTH_2 * rise[:, None, :])
    flat = np.full_like(rise, BUTTERWORTH_4[0])
    return 1.0 / np.stack([flat, BUTTERWORTH_4[1] * rise], axis=1)


def cutoff_gain(hertz: NDArray[np.float64], rate: int) -> NDArray[np.float64]:
    """``tan(pi f / rate)`` of frequencies in Hz ``[...]``, kept below half the rate."""
    found: NDArray[np.float64] = np.tan(np.pi * np.minimum(hertz / rate, HIGHEST))
    return found
