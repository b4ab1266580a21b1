"""Second-order sections of the state-variable filter, one after the other or side by side.

Each section gives a weighted sum of its input, its band-pass and its low-pass, which makes any
second-order response with the same poles. Source: see `caligo.signal.state_variable`.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device, kernel
from caligo.signal.matched import NUMBERS
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


@device(fastmath=CONTRACT)
def _run_section(source: np.ndarray, wet: np.ndarray, ends: np.ndarray, held: np.ndarray) -> None:
    """One section over a tick from `source` to `wet`, see `caligo.signal.packed`.

    `ends` ``[NUMBERS, 2, WIDTH]`` are its own, see `caligo.signal.matched`.
    """
    g, g_step = load(ends[0], 0), load(ends[0], 1)
    d, d_step = load(ends[1], 0), load(ends[1], 1)
    direct, direct_step = load(ends[2], 0), load(ends[2], 1)
    bands, bands_step = load(ends[3], 0), load(ends[3], 1)
    lows, lows_step = load(ends[4], 0), load(ends[4], 1)
    s1, s2 = load(held, 0), load(held, 1)
    for n in range(TICK):
        x = load(source, n)
        band, low, s1, s2 = step(x, s1, s2, coefficients(g, d))
        store(wet, n, direct * x + bands * band + lows * low)
        g += g_step
        d += d_step
        direct += direct_step
        bands += bands_step
        lows += lows_step
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


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], f8[:, :, ::1]")
def _run_in_series(signal: np.ndarray, values: np.ndarray, state: np.ndarray) -> None:
    """`run_sections` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                source = dry
                for s in range(state.shape[2] // 2):
                    own = ends[1 + NUMBERS * s : 1 + NUMBERS * (s + 1)]
                    _run_section(source, wet, own, held[2 * s : 2 * s + 2])
                    source = wet
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_sections(
    signal: NDArray[np.float32], sections: Sequence[Floats], mix: Floats, state: Floats
) -> None:
    """Pass `signal` ``[voices, 2, samples]`` through sections one after the other, in place.

    Parameters
    ----------
    sections
        Of each its numbers at every tick ``[NUMBERS, voices, ticks + 1]``, or of each side
        ``[NUMBERS, voices, 2, ticks + 1]``; see `caligo.signal.matched.sections_of`.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, 2 channels, 2 sections]``; carried on.
    """
    rows = [numbers for section in sections for numbers in section]
    _run_in_series(signal, beside(mix, *rows), state)


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
