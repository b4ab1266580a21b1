"""Bands of a stereo signal: moving second-order responses, and a split that adds up again.

Bands: see `caligo.signal.matched`.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import CONTRACT, kernel
from caligo.signal.silence import DEAD
from caligo.signal.state_variable import coefficients, step
from caligo.signal.ticks import TICK

FLAT = math.sqrt(2.0)
"""1 / Q of a maximally flat section."""


@kernel("f4[:, ::1], f8[::1], f8[::1], f8[:, ::1], f8[:, ::1]", fastmath=CONTRACT)
def run_band(
    signal: np.ndarray, g: np.ndarray, d: np.ndarray, weights: np.ndarray, state: np.ndarray
) -> None:
    """One moving section on `signal` ``[2, samples]``, in place.

    Parameters
    ----------
    g, d
        Of the section at every tick ``[ticks + 1]``.
    weights
        How much of input, band-pass and low-pass is heard ``[3, ticks + 1]``.
    state
        Integrators ``[2, 2]``; carried on.
    """
    l1, l2, r1, r2 = state[0, 0], state[0, 1], state[1, 0], state[1, 1]
    for k in range(len(g) - 1):
        g_now, g_step = g[k], (g[k + 1] - g[k]) / TICK
        d_now, d_step = d[k], (d[k + 1] - d[k]) / TICK
        w0, w1, w2 = weights[0, k], weights[1, k], weights[2, k]
        v0 = (weights[0, k + 1] - w0) / TICK
        v1 = (weights[1, k + 1] - w1) / TICK
        v2 = (weights[2, k + 1] - w2) / TICK
        for n in range(TICK):
            i = k * TICK + n
            a = coefficients(g_now, d_now)
            band, low, l1, l2 = step(signal[0, i], l1, l2, a)
            signal[0, i] = w0 * signal[0, i] + w1 * band + w2 * low
            band, low, r1, r2 = step(signal[1, i], r1, r2, a)
            signal[1, i] = w0 * signal[1, i] + w1 * band + w2 * low
            g_now += g_step
            d_now += d_step
            w0 += v0
            w1 += v1
            w2 += v2
    total = l1 + l2 + r1 + r2
    if not math.isfinite(total):
        state[:] = 0.0
        signal[:] = 0.0
        return
    state[0, 0] = l1 if abs(l1) > DEAD else 0.0
    state[0, 1] = l2 if abs(l2) > DEAD else 0.0
    state[1, 0] = r1 if abs(r1) > DEAD else 0.0
    state[1, 1] = r2 if abs(r2) > DEAD else 0.0


@kernel("f4[:, ::1], f8[::1], f4[:, ::1], f4[:, ::1], f8[:, :, ::1]", fastmath=CONTRACT)
def part(
    signal: np.ndarray, g: np.ndarray, low: np.ndarray, high: np.ndarray, state: np.ndarray
) -> None:
    """Part `signal` ``[2, samples]`` at a cutoff into `low` and `high`, which add to an all-pass.

    Fourth order: two maximally flat sections on either side (S. Linkwitz, "Active crossover
    networks for noncoincident drivers", JAES 1976).

    Parameters
    ----------
    g
        ``tan(pi f / rate)`` at every tick ``[ticks + 1]``.
    state
        Integrators of the first section, and of the second of either side ``[2, 3, 2]``.
    """
    for c in range(2):
        a1, a2, b1, b2, c1, c2 = (
            state[c, 0, 0],
            state[c, 0, 1],
            state[c, 1, 0],
            state[c, 1, 1],
            state[c, 2, 0],
            state[c, 2, 1],
        )
        for k in range(len(g) - 1):
            g_now, g_step = g[k], (g[k + 1] - g[k]) / TICK
            for n in range(TICK):
                i = k * TICK + n
                a = coefficients(g_now, FLAT)
                x = signal[c, i]
                band, deep, a1, a2 = step(x, a1, a2, a)
                thin = x - FLAT * band - deep
                _, deeper, b1, b2 = step(deep, b1, b2, a)
                band, rest, c1, c2 = step(thin, c1, c2, a)
                low[c, i] = deeper
                high[c, i] = thin - FLAT * band - rest
                g_now += g_step
        total = a1 + a2 + b1 + b2 + c1 + c2
        if not math.isfinite(total):
            state[c] = 0.0
            low[c] = 0.0
            high[c] = 0.0
        else:
            state[c, 0, 0], state[c, 0, 1] = a1, a2
            state[c, 1, 0], state[c, 1, 1] = b1, b2
            state[c, 2, 0], state[c, 2, 1] = c1, c2
            for j in range(3):
                for m in range(2):
                    if abs(state[c, j, m]) < DEAD:
                        state[c, j, m] = 0.0
