"""Second-order sections of the state-variable filter, one after the other or side by side.

Each section gives a weighted sum of its input, its band-pass and its low-pass, which makes any
second-order response with the same poles. Source: see `caligo.signal.state_variable`.
"""

from __future__ import annotations

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
from caligo.signal.state_variable import coefficients, step
from caligo.signal.ticks import TICK
from caligo.signal.vector import load, store

Floats = NDArray[np.float64]

BANDPASS = np.array([0.0, 1.0, 0.0])
"""Weights of input, band-pass over Q, and low-pass: 0 dB at the peak."""
NOTCH = np.array([1.0, -1.0, 0.0])
HIGHPASS = np.array([1.0, -1.0, -1.0])
BELL = np.array([1.0, 0.0, 0.0])
"""With a lift of gain - 1: the cookbook's peaking filter."""


@device(fastmath=CONTRACT)
def _run_section(
    source: np.ndarray,
    wet: np.ndarray,
    cutoff: np.ndarray,
    ends: np.ndarray,
    weights: np.ndarray,
    held: np.ndarray,
) -> None:
    """One section over a tick from `source` to `wet`, see `caligo.signal.packed`.

    `cutoff` ``[2, WIDTH]`` is its own; of `ends` those at 1 and 2 are ``1 / Q`` and what is added
    to the weight of the band-pass.
    """
    g, g_step = load(cutoff, 0), load(cutoff, 1)
    d, d_step = load(ends[1], 0), load(ends[1], 1)
    w, w_step = weights[1] + load(ends[2], 0), load(ends[2], 1)
    direct, lows = weights[0], weights[2]
    s1, s2 = load(held, 0), load(held, 1)
    for n in range(TICK):
        x = load(source, n)
        band, low, s1, s2 = step(x, s1, s2, coefficients(g, d))
        store(wet, n, direct * x + w * d * band + lows * low)
        g += g_step
        d += d_step
        w += w_step
    store(held, 0, s1)
    store(held, 1, s2)


@device(fastmath=CONTRACT)
def _add_band(dry: np.ndarray, wet: np.ndarray, ends: np.ndarray, held: np.ndarray) -> None:
    """Add a band-pass of `dry` to `wet`, over a tick.

    `ends` ``[3, 2, WIDTH]`` are its cutoff, ``1 / Q`` and the peak's factor.
    """
    g, g_step = load(ends[0], 0), load(ends[0], 1)
    d, d_step = load(ends[1], 0), load(ends[1], 1)
    a, a_step = load(ends[2], 0), load(ends[2], 1)
    s1, s2 = load(held, 0), load(held, 1)
    for n in range(TICK):
        band, _, s1, s2 = step(load(dry, n), s1, s2, coefficients(g, d))
        store(wet, n, load(wet, n) + a * d * band)
        g += g_step
        d += d_step
        a += a_step
    store(held, 0, s1)
    store(held, 1, s2)


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], f8[::1], f8[:, :, ::1]")
def _run_in_series(
    signal: np.ndarray, values: np.ndarray, weights: np.ndarray, state: np.ndarray
) -> None:
    """`run_sections` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                source = dry
                for s in range(state.shape[2] // 2):
                    own = held[2 * s : 2 * s + 2]
                    _run_section(source, wet, ends[3 + s], ends, weights, own)
                    source = wet
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_sections(
    signal: NDArray[np.float32],
    cutoff: Floats,
    damping: Floats,
    weights: Floats,
    lift: Floats,
    mix: Floats,
    state: Floats,
) -> None:
    """Pass `signal` ``[voices, 2, samples]`` through sections one after the other, in place.

    Parameters
    ----------
    cutoff
        ``tan(pi f / rate)`` of each section and side at every tick
        ``[voices, sections, 2, ticks + 1]``.
    damping
        ``1 / Q`` at every tick ``[voices, ticks + 1]``, the same for all sections.
    weights, lift
        See `_run_section`: ``[3]``, and ``[voices, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, 2 channels, 2 sections]``; carried on.
    """
    values = beside(mix, damping, lift, *np.moveaxis(cutoff, 1, 0))
    _run_in_series(signal, values, weights, state)


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], f8[:, :, ::1]")
def _run_side_by_side(signal: np.ndarray, values: np.ndarray, state: np.ndarray) -> None:
    """`run_side_by_side` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                wet[:] = 0.0
                for s in range(state.shape[2] // 2):
                    own = ends[1 + 3 * s : 4 + 3 * s]
                    _add_band(dry, wet, own, held[2 * s : 2 * s + 2])
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_side_by_side(
    signal: NDArray[np.float32],
    cutoff: Floats,
    damping: Floats,
    gain: Floats,
    mix: Floats,
    state: Floats,
) -> None:
    """Replace `signal` ``[voices, 2, samples]`` by the sum of band-passes, in place.

    Parameters
    ----------
    cutoff, damping, gain
        ``tan(pi f / rate)``, ``1 / Q`` and the peak's factor of each section at every tick
        ``[voices, sections, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, 2 channels, 2 sections]``; carried on.
    """
    bands = np.stack([cutoff, damping, gain], axis=2)
    each = bands.reshape(len(bands), -1, bands.shape[-1])
    _run_side_by_side(signal, beside(mix, *np.moveaxis(each, 1, 0)), state)
