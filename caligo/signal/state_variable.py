"""The state-variable filter in trapezoidal form, as every filter of the catalogue uses it.

Source: A. Simper, "Solving the continuous SVF equations using trapezoidal integration and
equivalent currents" (2013), after V. Zavalishin, "The Art of VA Filter Design"; equations from
memory. Its response equals that of the Audio EQ Cookbook's biquads at the same frequency and Q.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.signal.kernel import kernel, kernel_with
from caligo.signal.ticks import TICK

BUTTERWORTH_2 = math.sqrt(0.5)
"""Q of a maximally flat second-order low-pass."""
BUTTERWORTH_4 = (0.541196100146197, 1.306562964876377)
"""Q of the two halves of a maximally flat fourth-order low-pass: 1 / (2 cos(pi/8)), (3 pi/8)."""
SHARPEST = 24.0
"""Q over the flat one at full resonance."""
HIGHEST = 0.49
"""Highest corner as a share of the sample rate."""


CONTRACT = {"contract"}
"""Lets multiplications and additions fuse; sums keep their order, so results do not vary."""


DEAD = 1e-20
"""Integrators below, 400 dB under full scale, count as nothing."""


@kernel_with(fastmath=CONTRACT)
def coefficients(g: float, d: float) -> tuple[float, float, float]:
    """Of one stage at one sample: a1, a2 and a3 of the source."""
    a1 = 1.0 / (1.0 + g * (g + d))
    a2 = g * a1
    return a1, a2, g * a2


@kernel_with(fastmath=CONTRACT)
def step(
    x: float, s1: float, s2: float, a: tuple[float, float, float]
) -> tuple[float, float, float, float]:
    """One sample through one stage: its band-pass and low-pass, and both integrators after it."""
    y = x - s2
    band = a[0] * s1 + a[1] * y
    low = s2 + a[1] * s1 + a[2] * y
    return band, low, 2.0 * band - s1, 2.0 * low - s2


@kernel_with(fastmath=CONTRACT)
def _single(
    x: np.ndarray,
    g: float,
    g_step: float,
    d: float,
    d_step: float,
    highpass: bool,
    state: np.ndarray,
) -> None:
    """One second-order stage over a tick: `x` ``[2, TICK]``, `state` ``[1, 2, 2]``."""
    through = 1.0 if highpass else 0.0
    lows = 1.0 - 2.0 * through
    l1, l2, r1, r2 = state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1]
    for n in range(TICK):
        a = coefficients(g, d)
        # high = x - d band - low; low-pass and high-pass differ only in these factors.
        band, low, l1, l2 = step(x[0, n], l1, l2, a)
        x[0, n] = through * (x[0, n] - d * band) + lows * low
        band, low, r1, r2 = step(x[1, n], r1, r2, a)
        x[1, n] = through * (x[1, n] - d * band) + lows * low
        g += g_step
        d += d_step
    state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1] = l1, l2, r1, r2


@kernel_with(fastmath=CONTRACT)
def _double(
    x: np.ndarray,
    g: float,
    g_step: float,
    d: float,
    d_step: float,
    e: float,
    e_step: float,
    highpass: bool,
    state: np.ndarray,
) -> None:
    """Two stages over a tick in one loop, so that the processor overlaps them."""
    through = 1.0 if highpass else 0.0
    lows = 1.0 - 2.0 * through
    l1, l2, r1, r2 = state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1]
    m1, m2, s1, s2 = state[1, 0, 0], state[1, 0, 1], state[1, 1, 0], state[1, 1, 1]
    for n in range(TICK):
        a, b = coefficients(g, d), coefficients(g, e)
        band, low, l1, l2 = step(x[0, n], l1, l2, a)
        z = through * (x[0, n] - d * band) + lows * low
        band, low, m1, m2 = step(z, m1, m2, b)
        x[0, n] = through * (z - e * band) + lows * low
        band, low, r1, r2 = step(x[1, n], r1, r2, a)
        z = through * (x[1, n] - d * band) + lows * low
        band, low, s1, s2 = step(z, s1, s2, b)
        x[1, n] = through * (z - e * band) + lows * low
        g += g_step
        d += d_step
        e += e_step
    state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1] = l1, l2, r1, r2
    state[1, 0, 0], state[1, 0, 1], state[1, 1, 0], state[1, 1, 1] = m1, m2, s1, s2


@kernel
def settled(state: np.ndarray) -> bool:
    """Whether integrators ``[stages, 2, 2]`` hold numbers; what has died away is set to nothing.

    Left alone it would get so small that the processor computes with it a hundred times slower.
    """
    total = 0.0
    for stage in range(state.shape[0]):
        for side in range(2):
            for i in range(2):
                if abs(state[stage, side, i]) < DEAD:
                    state[stage, side, i] = 0.0
                total += state[stage, side, i]
    return math.isfinite(total)


@kernel
def is_silent(signal: np.ndarray) -> bool:
    """Whether all of ``[samples]`` are zero."""
    n = 0
    while n < len(signal) and signal[n] == np.float32(0.0):
        n += 1
    return n == len(signal)


@kernel
def run(
    signal: np.ndarray,
    corner: np.ndarray,
    damping: np.ndarray,
    mix: np.ndarray,
    highpass: bool,
    state: np.ndarray,
) -> None:
    """Filter `signal` ``[voices, 2, samples]`` in place.

    Parameters
    ----------
    corner
        ``tan(pi f / rate)`` at every tick ``[voices, ticks + 1]``.
    damping
        ``1 / Q`` of each stage at every tick ``[voices, stages, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, stages, 2 channels, 2]``; carried on.
    """
    voices, stages, _ = damping.shape
    wet = np.empty((2, TICK))
    for v in range(voices):
        for k in range(damping.shape[2] - 1):
            left = signal[v, 0, k * TICK : (k + 1) * TICK]
            right = signal[v, 1, k * TICK : (k + 1) * TICK]
            if is_silent(left) and is_silent(right) and not state[v].any():
                continue
            for n in range(TICK):
                wet[0, n] = left[n]
                wet[1, n] = right[n]
            g = corner[v, k]
            g_step = (corner[v, k + 1] - g) / TICK
            d = damping[v, 0, k]
            d_step = (damping[v, 0, k + 1] - d) / TICK
            if stages == 1:
                _single(wet, g, g_step, d, d_step, highpass, state[v])
            else:
                e = damping[v, 1, k]
                e_step = (damping[v, 1, k + 1] - e) / TICK
                _double(wet, g, g_step, d, d_step, e, e_step, highpass, state[v])
            if not settled(state[v]):
                state[v] = 0.0
                wet[:] = 0.0
            m = mix[v, k]
            m_step = (mix[v, k + 1] - m) / TICK
            for n in range(TICK):
                left[n] += (m + n * m_step) * (wet[0, n] - left[n])
                right[n] += (m + n * m_step) * (wet[1, n] - right[n])


def sharpness(resonance: NDArray[np.float64], steep: bool) -> NDArray[np.float64]:
    """1 / Q of each stage ``[voices, stages, ticks]`` for a resonance of 0 to 100 %."""
    rise = SHARPEST ** (resonance / 100.0)
    if not steep:
        return 1.0 / (BUTTERWORTH_2 * rise[:, None, :])
    flat = np.full_like(rise, BUTTERWORTH_4[0])
    return 1.0 / np.stack([flat, BUTTERWORTH_4[1] * rise], axis=1)


def corner_gain(hertz: NDArray[np.float64], rate: int) -> NDArray[np.float64]:
    """``tan(pi f / rate)`` of frequencies in Hz ``[...]``, kept below half the rate."""
    found: NDArray[np.float64] = np.tan(np.pi * np.minimum(hertz / rate, HIGHEST))
    return found
