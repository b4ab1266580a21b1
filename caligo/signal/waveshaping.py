"""Waves bent between samples, so that their overtones hardly fold.

The curve is ``x / sqrt(1 + x^2)``, whose integral is ``sqrt(1 + x^2)``. A sample is the mean of the
curve on the straight way from the sample before: (F(x) - F(x0)) / (x - x0), after J. Parker,
V. Zavalishin and E. Le Bivic, "Reducing the aliasing of nonlinear waveshaping using continuous-time
convolution" (DAFx 2016). With this curve the quotient is ``(x + x0) / (F(x) + F(x0))``, which has
no place at which it would be nothing by nothing. It is half a sample late.
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
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, load, store

FOURFOLD = 4
"""How many times the sample rate waves are bent at."""
REFERENCE = 0.25
"""The peak of a sine that keeps its level however it is bent: -12 dB under full scale."""
DRIVEN_AT = 0.5
"""The peak that the curve is given where drive relates to the level that comes in."""
SHAPER_STATE = 1 + HELD
"""Numbers of a channel that are remembered: what came in last, and the ways up and down."""


@device(fastmath=CONTRACT)
def between(x: Any, before: Any, root: Any) -> tuple[Any, Any]:
    """The bent wave on the way from one vector to the next, and the next one's `root`.

    `root` is F of the one `before`.
    """
    now = math.sqrt(1.0 + x * x)
    return (x + before) / (now + root), now


@device(fastmath=CONTRACT)
def _shape_tick(wave: np.ndarray, ends: np.ndarray, held: np.ndarray) -> None:
    """Bend a tick at four times the rate `wave` ``[4 * TICK, WIDTH]``, in place.

    `ends` from 1 on are how strongly, and the gain behind; see `caligo.signal.packed`.
    """
    strength, strength_step = load(ends[1], 0), 0.25 * load(ends[1], 1)
    level, level_step = load(ends[2], 0), 0.25 * load(ends[2], 1)
    before = load(held, 0)
    root = math.sqrt(1.0 + strength * before * strength * before)
    for n in range(wave.shape[0]):
        x = load(wave, n)
        steep = strength * x
        now = math.sqrt(1.0 + steep * steep)
        store(wave, n, level * (x + before) / (now + root))
        before, root = x, now
        strength += strength_step
        level += level_step
    store(held, 0, before)


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], f8[::1], f8[::1], f8[:, :, ::1]", allocates=True)
def _run_waveshaper(
    signal: np.ndarray, values: np.ndarray, near: np.ndarray, far: np.ndarray, state: np.ndarray
) -> None:
    """`run_waveshaper` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    half, wave = np.empty((2 * TICK, WIDTH)), np.empty((FOURFOLD * TICK, WIDTH))
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                up(dry, near, far, held[1:], half, wave)
                _shape_tick(wave, ends, held)
                down(wave, near, far, held[1:], half, wet)
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_waveshaper(
    signal: NDArray[np.float32], drive: NDArray[np.float64], state: NDArray[np.float64]
) -> None:
    """Bend `signal` ``[voices, 2, samples]`` in place, at four times its rate.

    Parameters
    ----------
    drive
        From 1, which bends nothing, on: the gain of what is soft, at every tick
        ``[voices, ticks + 1]``, as long as it stays under `REFERENCE`, which keeps its level.
    state
        ``[voices, 2, SHAPER_STATE]``; carried on.
    """
    strength = drive - 1.0
    level = np.sqrt(1.0 + (strength * REFERENCE) ** 2)
    _run_waveshaper(signal, beside(np.ones_like(drive), strength, level), NEAR, FAR, state)


def run_levelled_waveshaper(
    signal: NDArray[np.float32],
    drive: NDArray[np.float64],
    levels: NDArray[np.float64],
    state: NDArray[np.float64],
) -> None:
    """`run_waveshaper` of what is as loud as a sine whose peak is `levels` ``[voices, ticks + 1]``.

    It stays as loud, whatever its level: see `loudness_kept`.
    """
    steep = (drive - 1.0) * DRIVEN_AT
    values = beside(np.ones_like(drive), steep / levels, loudness_kept(steep))
    _run_waveshaper(signal, values, NEAR, FAR, state)


def loudness_kept(steep: NDArray[np.float64]) -> NDArray[np.float64]:
    """The gain of what is soft at which a bent wave is as loud as a straight one ``[...]``.

    `steep` is what the curve is given of a sine as loud as the wave. A sine keeps its peak while
    it is hardly bent; bent to a square it has the peak of its effective value, 3 dB less. Between
    them pads, saws and noise of the same power are within 1 dB of their loudness.
    """
    found: NDArray[np.float64] = np.sqrt((1.0 + steep**2) / (1.0 + steep / (steep + 5.0)))
    return found
