"""Second-order sections of the state-variable filter, one after the other or side by side.

Each section gives a weighted sum of its input, its band-pass and its low-pass, which makes any
second-order response with the same poles. Source: see `caligo.signal.state_variable`.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from caligo.signal.state_variable import CONTRACT, coefficients, is_silent, settled, step
from caligo.signal.ticks import TICK

BANDPASS = np.array([0.0, 1.0, 0.0])
"""Weights of input, band-pass over Q, and low-pass: 0 dB at the peak."""
NOTCH = np.array([1.0, -1.0, 0.0])
HIGHPASS = np.array([1.0, -1.0, -1.0])
BELL = np.array([1.0, 0.0, 0.0])
"""With a lift of gain - 1: the cookbook's peaking filter."""


@njit(cache=True, nogil=True, fastmath=CONTRACT)
def _run_section(
    x: np.ndarray,
    g: np.ndarray,
    d: np.ndarray,
    weights: np.ndarray,
    lift: np.ndarray,
    state: np.ndarray,
) -> None:
    """One section over a tick, in place: `x` ``[2 channels, TICK]``, `state` ``[2 channels, 2]``.

    `g` ``[2 channels, 2]``, `d` and `lift` ``[2]`` hold the corner's ``tan(pi f / rate)``,
    ``1 / Q`` and what is added to the weight of the band-pass, at the tick's beginning and end.
    Both channels go in one loop, so that the processor overlaps them.
    """
    gl, gl_step = g[0, 0], (g[0, 1] - g[0, 0]) / TICK
    gr, gr_step = g[1, 0], (g[1, 1] - g[1, 0]) / TICK
    d_now, d_step = d[0], (d[1] - d[0]) / TICK
    w_now, w_step = weights[1] + lift[0], (lift[1] - lift[0]) / TICK
    direct, lows = weights[0], weights[2]
    l1, l2, r1, r2 = state[0, 0], state[0, 1], state[1, 0], state[1, 1]
    for n in range(TICK):
        band, low, l1, l2 = step(x[0, n], l1, l2, coefficients(gl, d_now))
        x[0, n] = direct * x[0, n] + w_now * d_now * band + lows * low
        band, low, r1, r2 = step(x[1, n], r1, r2, coefficients(gr, d_now))
        x[1, n] = direct * x[1, n] + w_now * d_now * band + lows * low
        gl += gl_step
        gr += gr_step
        d_now += d_step
        w_now += w_step
    state[0, 0], state[0, 1], state[1, 0], state[1, 1] = l1, l2, r1, r2


@njit(cache=True, nogil=True, fastmath=CONTRACT)
def _add_bandpass(
    x: np.ndarray,
    total: np.ndarray,
    g: np.ndarray,
    d: np.ndarray,
    gain: np.ndarray,
    state: np.ndarray,
) -> None:
    """Add a band-pass of `x` to `total` ``[2 channels, TICK]``; `state` ``[2 channels, 2]``.

    `g`, `d` and `gain` ``[2]`` hold the corner's ``tan(pi f / rate)``, ``1 / Q`` and the peak's
    factor at the tick's beginning and end.
    """
    g_now, g_step = g[0], (g[1] - g[0]) / TICK
    d_now, d_step = d[0], (d[1] - d[0]) / TICK
    a, a_step = gain[0], (gain[1] - gain[0]) / TICK
    l1, l2, r1, r2 = state[0, 0], state[0, 1], state[1, 0], state[1, 1]
    for n in range(TICK):
        shared = coefficients(g_now, d_now)
        peak = a * d_now
        band, _, l1, l2 = step(x[0, n], l1, l2, shared)
        total[0, n] += peak * band
        band, _, r1, r2 = step(x[1, n], r1, r2, shared)
        total[1, n] += peak * band
        g_now += g_step
        d_now += d_step
        a += a_step
    state[0, 0], state[0, 1], state[1, 0], state[1, 1] = l1, l2, r1, r2


@njit(cache=True, nogil=True)
def run_sections(
    signal: np.ndarray,
    corner: np.ndarray,
    damping: np.ndarray,
    weights: np.ndarray,
    lift: np.ndarray,
    mix: np.ndarray,
    state: np.ndarray,
) -> None:
    """Pass `signal` ``[voices, 2, samples]`` through sections one after the other, in place.

    Parameters
    ----------
    corner
        ``tan(pi f / rate)`` of each section and side at every tick
        ``[voices, sections, 2, ticks + 1]``.
    damping
        ``1 / Q`` at every tick ``[voices, ticks + 1]``, the same for all sections.
    weights, lift
        See `_run_section`: ``[3]``, and ``[voices, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, sections, 2 channels, 2]``; carried on.
    """
    voices, sections, _, ends = corner.shape
    wet = np.empty((2, TICK))
    for v in range(voices):
        for k in range(ends - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            if is_silent(heard[0]) and is_silent(heard[1]) and not state[v].any():
                continue
            wet[:] = heard
            for s in range(sections):
                _run_section(
                    wet,
                    corner[v, s, :, k : k + 2],
                    damping[v, k : k + 2],
                    weights,
                    lift[v, k : k + 2],
                    state[v, s],
                )
            if not settled(state[v]):
                state[v] = 0.0
                wet[:] = 0.0
            m, m_step = mix[v, k], (mix[v, k + 1] - mix[v, k]) / TICK
            for c in range(2):
                for n in range(TICK):
                    heard[c, n] += (m + n * m_step) * (wet[c, n] - heard[c, n])


@njit(cache=True, nogil=True)
def run_side_by_side(
    signal: np.ndarray,
    corner: np.ndarray,
    damping: np.ndarray,
    gain: np.ndarray,
    mix: np.ndarray,
    state: np.ndarray,
) -> None:
    """Replace `signal` ``[voices, 2, samples]`` by the sum of band-passes, in place.

    Parameters
    ----------
    corner, damping, gain
        ``tan(pi f / rate)``, ``1 / Q`` and the peak's factor of each section at every tick
        ``[voices, sections, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, sections, 2 channels, 2]``; carried on.
    """
    voices, sections, ends = corner.shape
    total = np.empty((2, TICK))
    for v in range(voices):
        for k in range(ends - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            if is_silent(heard[0]) and is_silent(heard[1]) and not state[v].any():
                continue
            total[:] = 0.0
            for s in range(sections):
                _add_bandpass(
                    heard,
                    total,
                    corner[v, s, k : k + 2],
                    damping[v, s, k : k + 2],
                    gain[v, s, k : k + 2],
                    state[v, s],
                )
            if not settled(state[v]):
                state[v] = 0.0
                total[:] = 0.0
            m, m_step = mix[v, k], (mix[v, k + 1] - mix[v, k]) / TICK
            for c in range(2):
                for n in range(TICK):
                    heard[c, n] += (m + n * m_step) * (total[c, n] - heard[c, n])
