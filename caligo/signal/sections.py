"""Second-order sections of the state-variable filter, one after the other or side by side.

Each section gives a weighted sum of its input, its band-pass and its low-pass, which makes any
second-order response with the same poles. Source: see `caligo.signal.state_variable`.
"""

from __future__ import annotations

import numpy as np

from caligo.signal.kernel import kernel, kernel_with
from caligo.signal.state_variable import CONTRACT, coefficients, is_silent, settled, step
from caligo.signal.ticks import TICK

BANDPASS = np.array([0.0, 1.0, 0.0])
"""Weights of input, band-pass over Q, and low-pass: 0 dB at the peak."""
NOTCH = np.array([1.0, -1.0, 0.0])
HIGHPASS = np.array([1.0, -1.0, -1.0])
BELL = np.array([1.0, 0.0, 0.0])
"""With a lift of gain - 1: the cookbook's peaking filter."""


@kernel_with(fastmath=CONTRACT)
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


@kernel_with(fastmath=CONTRACT)
def _add_three(
    x: np.ndarray,
    total: np.ndarray,
    g: np.ndarray,
    d: np.ndarray,
    gain: np.ndarray,
    state: np.ndarray,
) -> None:
    """Add three band-passes of `x` to `total` ``[2 channels, TICK]``; `state` ``[3, 2, 2]``.

    All go in one loop, so that the processor overlaps them. `g`, `d` and `gain` ``[3, 2]`` hold the
    corners' ``tan(pi f / rate)``, ``1 / Q`` and the peaks' factors at the tick's beginning and end.
    """
    g0, g1, g2 = g[0, 0], g[1, 0], g[2, 0]
    d0, d1, d2 = d[0, 0], d[1, 0], d[2, 0]
    a0, a1, a2 = gain[0, 0], gain[1, 0], gain[2, 0]
    turns = (g[:, 1] - g[:, 0]) / TICK
    wider = (d[:, 1] - d[:, 0]) / TICK
    grown = (gain[:, 1] - gain[:, 0]) / TICK
    l0, m0, r0, s0 = state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1]
    l1, m1, r1, s1 = state[1, 0, 0], state[1, 0, 1], state[1, 1, 0], state[1, 1, 1]
    l2, m2, r2, s2 = state[2, 0, 0], state[2, 0, 1], state[2, 1, 0], state[2, 1, 1]
    for n in range(TICK):
        left, right = x[0, n], x[1, n]
        first, second, third = coefficients(g0, d0), coefficients(g1, d1), coefficients(g2, d2)
        one, _, l0, m0 = step(left, l0, m0, first)
        two, _, l1, m1 = step(left, l1, m1, second)
        three, _, l2, m2 = step(left, l2, m2, third)
        total[0, n] += a0 * d0 * one + a1 * d1 * two + a2 * d2 * three
        one, _, r0, s0 = step(right, r0, s0, first)
        two, _, r1, s1 = step(right, r1, s1, second)
        three, _, r2, s2 = step(right, r2, s2, third)
        total[1, n] += a0 * d0 * one + a1 * d1 * two + a2 * d2 * three
        g0, g1, g2 = g0 + turns[0], g1 + turns[1], g2 + turns[2]
        d0, d1, d2 = d0 + wider[0], d1 + wider[1], d2 + wider[2]
        a0, a1, a2 = a0 + grown[0], a1 + grown[1], a2 + grown[2]
    state[0, 0, 0], state[0, 0, 1], state[0, 1, 0], state[0, 1, 1] = l0, m0, r0, s0
    state[1, 0, 0], state[1, 0, 1], state[1, 1, 0], state[1, 1, 1] = l1, m1, r1, s1
    state[2, 0, 0], state[2, 0, 1], state[2, 1, 0], state[2, 1, 1] = l2, m2, r2, s2


@kernel
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


@kernel
def run_three_side_by_side(
    signal: np.ndarray,
    corner: np.ndarray,
    damping: np.ndarray,
    gain: np.ndarray,
    mix: np.ndarray,
    state: np.ndarray,
) -> None:
    """Replace `signal` ``[voices, 2, samples]`` by the sum of three band-passes, in place.

    Parameters
    ----------
    corner, damping, gain
        ``tan(pi f / rate)``, ``1 / Q`` and the peak's factor of each section at every tick
        ``[voices, 3, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, 3, 2 channels, 2]``; carried on.
    """
    voices, _, ends = corner.shape
    total = np.empty((2, TICK))
    for v in range(voices):
        for k in range(ends - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            if is_silent(heard[0]) and is_silent(heard[1]) and not state[v].any():
                continue
            total[:] = 0.0
            _add_three(
                heard,
                total,
                corner[v, :, k : k + 2],
                damping[v, :, k : k + 2],
                gain[v, :, k : k + 2],
                state[v],
            )
            if not settled(state[v]):
                state[v] = 0.0
                total[:] = 0.0
            m, m_step = mix[v, k], (mix[v, k + 1] - mix[v, k]) / TICK
            for c in range(2):
                for n in range(TICK):
                    heard[c, n] += (m + n * m_step) * (total[c, n] - heard[c, n])
