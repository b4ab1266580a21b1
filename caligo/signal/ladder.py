"""Four low-passes in a loop, driven: the ladder.

Source: V. Zavalishin, "The Art of VA Filter Design", chapter 5: the loop is solved without a
delay in it, then its sum is bent; equations from memory. Driven harder than its level it works at
four times the sample rate, with the curve of `caligo.signal.waveshaping`, which hardly aliases.
"""

from __future__ import annotations

import math
from typing import Any

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
from caligo.signal.recursive_half_band import FAR, HELD, NEAR, down, up
from caligo.signal.state_variable import HIGHEST
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, load, store
from caligo.signal.waveshaping import FOURFOLD, REFERENCE, between, loudness_kept

Floats = NDArray[np.float64]


OWN = 6
"""Numbers of a channel that a driven ladder remembers by itself."""
DRIVEN = OWN + HELD
"""And with the ways up to its rate and down."""


@device(fastmath=CONTRACT)
def _step(
    x: float, fraction: float, back: float, s0: float, s1: float, s2: float, s3: float
) -> tuple[float, float, float, float, float]:
    """A sample through the loop: the last stage's output, and the integrators after it."""
    rest = 1.0 - fraction
    # What the stages hold, as it comes out of each: y_k = fraction^k u + held_k. So all of them
    # are known at once, as soon as u is.
    held0 = rest * s0
    held1 = rest * s1 + fraction * held0
    held2 = rest * s2 + fraction * held1
    held3 = rest * s3 + fraction * held2
    second = fraction * fraction
    third, fourth = fraction * second, second * second
    u = (x - back * held3) * (1.0 / (1.0 + back * fourth))
    u *= 1.0 / math.sqrt(1.0 + u * u)
    y = fourth * u + held3
    s0 = 2.0 * (fraction * u + held0) - s0
    s1 = 2.0 * (second * u + held1) - s1
    s2 = 2.0 * (third * u + held2) - s2
    return y, s0, s1, s2, 2.0 * y - s3


@device(fastmath=CONTRACT)
def _tick(dry: np.ndarray, wet: np.ndarray, ends: np.ndarray, held: np.ndarray) -> None:
    """A tick through the loop, see `caligo.signal.packed`.

    `ends` from 1 on are the stages' fraction, the feedback, and the factors ahead of the loop
    and behind it; `held` ``[4, WIDTH]``.
    """
    fraction, fraction_step = load(ends[1], 0), load(ends[1], 1)
    back, back_step = load(ends[2], 0), load(ends[2], 1)
    drive, drive_step = load(ends[3], 0), load(ends[3], 1)
    level, level_step = load(ends[4], 0), load(ends[4], 1)
    s0, s1, s2, s3 = load(held, 0), load(held, 1), load(held, 2), load(held, 3)
    for n in range(TICK):
        y, s0, s1, s2, s3 = _step(drive * load(dry, n), fraction, back, s0, s1, s2, s3)
        store(wet, n, level * y)
        fraction += fraction_step
        back += back_step
        drive += drive_step
        level += level_step
    store(held, 0, s0)
    store(held, 1, s1)
    store(held, 2, s2)
    store(held, 3, s3)


@device(fastmath=CONTRACT)
def _driven_step(
    x: Any, fraction: Any, back: Any, v: Any, root: Any, s0: Any, s1: Any, s2: Any, s3: Any
) -> tuple[Any, Any, Any, Any, Any, Any, Any]:
    """`_step` with a bend between two samples: also gives its sum `v` and `root` after it."""
    rest = 1.0 - fraction
    held0 = rest * s0
    held1 = rest * s1 + fraction * held0
    held2 = rest * s2 + fraction * held1
    held3 = rest * s3 + fraction * held2
    second = fraction * fraction
    third, fourth = fraction * second, second * second
    # The bend gives the mean of two sums, as long as they are small: half of it is yet to come.
    half = 0.5 * fourth
    now = (x - back * (held3 + half * v)) / (1.0 + back * half)
    u, now_root = between(now, v, root)
    y = fourth * u + held3
    s0 = 2.0 * (fraction * u + held0) - s0
    s1 = 2.0 * (second * u + held1) - s1
    s2 = 2.0 * (third * u + held2) - s2
    return y, now, now_root, s0, s1, s2, 2.0 * y - s3


@device(fastmath=CONTRACT)
def _driven_tick(wave: np.ndarray, ends: np.ndarray, held: np.ndarray) -> None:
    """A tick at four times the rate `wave` ``[4 * TICK, WIDTH]``, in place.

    `ends` are those of `_tick`, and at 5 the fraction of the filtered signal. Of `held` ``[6,
    WIDTH]`` the first four are the stages, then come the loop's sum and what came in last.
    """
    m, m_step = load(ends[5], 0), 0.25 * load(ends[5], 1)
    fraction, fraction_step = load(ends[1], 0), 0.25 * load(ends[1], 1)
    back, back_step = load(ends[2], 0), 0.25 * load(ends[2], 1)
    drive, drive_step = load(ends[3], 0), 0.25 * load(ends[3], 1)
    level, level_step = load(ends[4], 0), 0.25 * load(ends[4], 1)
    s0, s1, s2, s3 = load(held, 0), load(held, 1), load(held, 2), load(held, 3)
    v, before = load(held, 4), load(held, 5)
    root = math.sqrt(1.0 + v * v)
    for n in range(wave.shape[0]):
        x = load(wave, n)
        y, v, root, s0, s1, s2, s3 = _driven_step(
            drive * x, fraction, back, v, root, s0, s1, s2, s3
        )
        direct = 0.5 * (x + before)
        store(wave, n, direct + m * (level * y - direct))
        before = x
        m += m_step
        fraction += fraction_step
        back += back_step
        drive += drive_step
        level += level_step
    store(held, 0, s0)
    store(held, 1, s1)
    store(held, 2, s2)
    store(held, 3, s3)
    store(held, 4, v)
    store(held, 5, before)


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], f8[:, :, ::1]")
def _run_ladder(signal: np.ndarray, values: np.ndarray, state: np.ndarray) -> None:
    """`run_ladder` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                _tick(dry, wet, ends, held)
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_ladder(
    signal: NDArray[np.float32],
    cutoff: Floats,
    feedback: Floats,
    drive: Floats,
    mix: Floats,
    state: Floats,
    levels: Floats | None = None,
) -> None:
    """Filter `signal` ``[voices, 2, samples]`` in place.

    Parameters
    ----------
    cutoff
        ``tan(pi f / rate)`` of each channel at every tick ``[voices, 2, ticks + 1]``.
    feedback
        From 0 to below 4, where it would sing for ever ``[voices, ticks + 1]``.
    drive
        Factor ahead of the bend ``[voices, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        The stages' integrators ``[voices, 2, 4]``; carried on.
    levels
        The peak of a sine as loud as what comes in ``[voices, ticks + 1]``, which `drive` then
        relates to; else to `REFERENCE`.
    """
    ahead, behind = _gains(feedback, drive, levels)
    _run_ladder(signal, beside(mix, cutoff / (1.0 + cutoff), feedback, ahead, behind), state)


def _gains(feedback: Floats, drive: Floats, levels: Floats | None) -> tuple[Floats, Floats]:
    """Factors ahead of the loop and behind it."""
    if levels is None:
        ahead, behind = drive, np.sqrt(1.0 + (drive * REFERENCE) ** 2) / drive
    else:
        ahead = drive * REFERENCE / levels
        behind = loudness_kept(drive * REFERENCE) / ahead
    # Half of what resonance takes from the lows is given back.
    return ahead * (1.0 + 0.5 * feedback), behind


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], f8[::1], f8[::1], f8[:, :, ::1]", allocates=True)
def _run_driven(
    signal: np.ndarray, values: np.ndarray, near: np.ndarray, far: np.ndarray, state: np.ndarray
) -> None:
    """`run_driven_ladder` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    half, wave = np.empty((2 * TICK, WIDTH)), np.empty((FOURFOLD * TICK, WIDTH))
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                up(dry, near, far, held[OWN:], half, wave)
                _driven_tick(wave, ends, held)
                down(wave, near, far, held[OWN:], half, wet)
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_driven_ladder(
    signal: NDArray[np.float32],
    hertz: Floats,
    rate: int,
    feedback: Floats,
    drive: Floats,
    mix: Floats,
    state: Floats,
    levels: Floats | None = None,
) -> None:
    """`run_ladder` at four times the rate, for what is driven.

    Corners are in Hz ``[voices, 2, ticks + 1]``, `state` ``[voices, 2, DRIVEN]``. The mean of two
    samples is half a sample late in the loop: with the turn that this makes at the cutoff, each
    stage is left a quarter of what is missing to half a circle, and the loop its gain there.
    """
    lag = np.pi * np.minimum(hertz / (FOURFOLD * rate), HIGHEST / FOURFOLD)
    each = 0.25 * (np.pi - lag)
    cutoff = np.tan(lag) / np.tan(each)
    back = 0.25 * feedback[:, None] / (np.cos(each) ** 4 * np.cos(lag))
    ahead, behind = _gains(feedback, drive, levels)
    values = beside(np.ones_like(mix), cutoff / (1.0 + cutoff), back, ahead, behind, mix)
    _run_driven(signal, values, NEAR, FAR, state)
