"""Second-order sections with feedback: delayed by a sample, through a waveshaper.

The loop's gain stays below 1 at every frequency, so it is stable whatever its phase (small-gain
theorem: G. Zames, "On the input-output stability of time-varying nonlinear feedback systems", 1966;
from memory), and a waveshaper lowers it. Sections: see `caligo.signal.sections`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

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
from caligo.signal.vector import in_each, load, store

Floats = NDArray[np.float64]
LOOP = 4
"""Rows of numbers ahead of those of the sections: mix, gain of the loop, steepness of its
waveshaper, gain ahead."""


class Sections(NamedTuple):
    """Second-order sections in numbers.

    Parameters
    ----------
    numbers
        Of each section, as `caligo.signal.sections.run_sections` takes them.
    parallel
        Whether the sections stand side by side, and are added; else one after the other.
    peak
        What no gain of all passes at any frequency ``[voices, ticks + 1]``.
    """

    numbers: Sequence[Floats]
    parallel: bool
    peak: Floats


@device(fastmath=CONTRACT)
def _tick(
    dry: np.ndarray,
    wet: np.ndarray,
    ends: np.ndarray,
    parallel: bool,
    held: np.ndarray,
) -> None:
    """A tick through the loop, see `caligo.signal.packed`; `held` ends with what came out last."""
    count = (held.shape[0] - 1) // 2
    back, back_step = load(ends[1], 0), load(ends[1], 1)
    steepness, steepness_step = load(ends[2], 0), load(ends[2], 1)
    ahead, ahead_step = load(ends[3], 0), load(ends[3], 1)
    last = load(held, 2 * count)
    for n in range(TICK):
        steep = steepness * last
        x = ahead * load(dry, n) + back * last / math.sqrt(1.0 + steep * steep)
        total = in_each(0.0)
        at = float(n)
        for s in range(count):
            row = LOOP + NUMBERS * s
            g = load(ends[row], 0) + at * load(ends[row], 1)
            d = load(ends[row + 1], 0) + at * load(ends[row + 1], 1)
            direct = load(ends[row + 2], 0) + at * load(ends[row + 2], 1)
            bands = load(ends[row + 3], 0) + at * load(ends[row + 3], 1)
            lows = load(ends[row + 4], 0) + at * load(ends[row + 4], 1)
            band, low, s1, s2 = step(
                x, load(held, 2 * s), load(held, 2 * s + 1), coefficients(g, d)
            )
            store(held, 2 * s, s1)
            store(held, 2 * s + 1, s2)
            made = direct * x + bands * band + lows * low
            if parallel:
                total = total + made
            else:
                x = made
        last = total if parallel else x
        store(wet, n, last)
        back += back_step
        steepness += steepness_step
        ahead += ahead_step
    store(held, 2 * count, last)


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], b1, f8[:, :, ::1]", allocates=True)
def _run(signal: np.ndarray, values: np.ndarray, parallel: bool, state: np.ndarray) -> None:
    """`run_fed` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                _tick(dry, wet, ends, parallel, held)
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_fed(
    signal: NDArray[np.float32],
    sections: Sections,
    feedback: Floats,
    steepness: Floats,
    mix: Floats,
    state: Floats,
) -> None:
    """Pass `signal` ``[voices, 2, samples]`` through sections that feed themselves, in place.

    What goes in is made softer as far as the loop makes noise louder.

    Parameters
    ----------
    feedback
        The loop's gain where the sections have their peak, from -1 to 1 ``[voices, ticks + 1]``.
    steepness
        One over the level from which on the waveshaper in the loop acts ``[voices, ticks + 1]``.
    mix
        Fraction of the filtered signal ``[voices, ticks + 1]``.
    state
        Integrators, and the last output ``[voices, 2 channels, 2 sections + 1]``; carried on.
    """
    rows = [numbers for section in sections.numbers for numbers in section]
    ahead = np.sqrt(1.0 - feedback**2)
    values = beside(mix, feedback / sections.peak, steepness, ahead, *rows)
    _run(signal, values, sections.parallel, state)
