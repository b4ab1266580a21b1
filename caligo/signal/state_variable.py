"""The state-variable filter in trapezoidal form, as every filter of the catalogue uses it.

Source: A. Simper, "Solving the continuous SVF equations using trapezoidal integration and
equivalent currents" (2013), after V. Zavalishin, "The Art of VA Filter Design"; equations from
memory. Its response equals that of the Audio EQ Cookbook's biquads at the same frequency and Q.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device, kernel
from caligo.signal.packed import (
    PACKED,
    begin_tick,
    beside,
    end_tick,
    give_state,
    scratch,
    take_state,
)
from caligo.signal.ticks import TICK
from caligo.signal.vector import load, store

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


@device(fastmath=CONTRACT)
def _single(
    dry: np.ndarray, wet: np.ndarray, ends: np.ndarray, highpass: bool, held: np.ndarray
) -> None:
    """One second-order stage over a tick, see `caligo.signal.packed`."""
    # high = x - d band - low; low-pass and high-pass differ only in these factors.
    through = 1.0 if highpass else 0.0
    lows = 1.0 - 2.0 * through
    g, g_step = load(ends[1], 0), load(ends[1], 1)
    d, d_step = load(ends[2], 0), load(ends[2], 1)
    s1, s2 = load(held, 0), load(held, 1)
    for n in range(TICK):
        x = load(dry, n)
        band, low, s1, s2 = step(x, s1, s2, coefficients(g, d))
        store(wet, n, through * (x - d * band) + lows * low)
        g += g_step
        d += d_step
    store(held, 0, s1)
    store(held, 1, s2)


@device(fastmath=CONTRACT)
def _double(
    dry: np.ndarray, wet: np.ndarray, ends: np.ndarray, highpass: bool, held: np.ndarray
) -> None:
    """Two stages over a tick."""
    through = 1.0 if highpass else 0.0
    lows = 1.0 - 2.0 * through
    g, g_step = load(ends[1], 0), load(ends[1], 1)
    d, d_step = load(ends[2], 0), load(ends[2], 1)
    e, e_step = load(ends[3], 0), load(ends[3], 1)
    s1, s2, t1, t2 = load(held, 0), load(held, 1), load(held, 2), load(held, 3)
    for n in range(TICK):
        x = load(dry, n)
        band, low, s1, s2 = step(x, s1, s2, coefficients(g, d))
        y = through * (x - d * band) + lows * low
        band, low, t1, t2 = step(y, t1, t2, coefficients(g, e))
        store(wet, n, through * (y - e * band) + lows * low)
        g += g_step
        d += d_step
        e += e_step
    store(held, 0, s1)
    store(held, 1, s2)
    store(held, 2, t1)
    store(held, 3, t2)


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], b1, f8[:, :, ::1]")
def _run(signal: np.ndarray, values: np.ndarray, highpass: bool, state: np.ndarray) -> None:
    """`run` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                if state.shape[2] == 2:
                    _single(dry, wet, ends, highpass, held)
                else:
                    _double(dry, wet, ends, highpass, held)
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run(
    signal: NDArray[np.float32],
    cutoff: NDArray[np.float64],
    damping: NDArray[np.float64],
    mix: NDArray[np.float64],
    highpass: bool,
    state: NDArray[np.float64],
) -> None:
    """Filter `signal` ``[voices, 2, samples]`` in place.

    Parameters
    ----------
    cutoff
        ``tan(pi f / rate)`` at every tick ``[voices, ticks + 1]``, or of each channel
        ``[voices, 2, ticks + 1]``.
    damping
        ``1 / Q`` of each stage at every tick ``[voices, stages, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, 2 channels, 2 stages]``; carried on.
    """
    _run(signal, beside(mix, cutoff, *np.moveaxis(damping, 1, 0)), highpass, state)


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
