"""From multiples of the sample rate down to it: what bends waves makes overtones that fold."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device, kernel
from caligo.signal.arrays import copy

REACH = 64
"""Samples at twice the rate that the filter looks ahead and back."""
PIECE = 512
"""Samples that are made at a time, so that they stay in the processor's nearest memory."""
CORNER = 0.463
"""Where the filter is half way down, as a fraction of half the doubled rate."""
STEEPNESS = 8.9
"""The Kaiser window's beta: 90 dB between what passes and what is stopped."""


def taps(count: int = 2 * REACH) -> NDArray[np.float32]:
    """A windowed sinc ``[count]``: even to 0.83 of the lower half sample rate, gone at 1.02.

    Oppenheim and Schafer, Discrete-Time Signal Processing, section 7.5 (from memory).
    """
    at = np.arange(count) - 0.5 * (count - 1)
    windowed = CORNER * np.sinc(CORNER * at) * np.kaiser(count, STEEPNESS)
    found: NDArray[np.float32] = (windowed / windowed.sum()).astype(np.float32)
    return found


def half_band(count: int) -> NDArray[np.float32]:
    """The taps ``[count]`` of a half-band filter that are not zero, but for the middle one, a half.

    Oppenheim and Schafer, Discrete-Time Signal Processing, sections 4.7 and 7.5 (from memory).
    """
    at = 2.0 * np.arange(count) - (count - 1.0)
    window = np.kaiser(2 * count + 1, STEEPNESS)[1::2]
    taps = 0.5 * np.sinc(0.5 * at) * window
    found: NDArray[np.float32] = (0.5 * taps / taps.sum()).astype(np.float32)
    return found


FAR = 12
"""Taps of the filter that only has to stop what lies far away."""
FAR_TAPS = half_band(FAR)
TAPS = taps()
EVEN: NDArray[np.float32] = np.ascontiguousarray(TAPS[0::2])
ODD: NDArray[np.float32] = np.ascontiguousarray(TAPS[1::2])


RAISING = 2 * REACH - 1
"""Taps of the filter that doubles the rate; it is late by ``REACH - 1`` samples of the new one."""
RAISING_EVEN: NDArray[np.float32] = np.ascontiguousarray(2.0 * taps(RAISING)[0::2])
RAISING_ODD: NDArray[np.float32] = np.ascontiguousarray(2.0 * taps(RAISING)[1::2])


@kernel("f4[::1], f4[::1], f4[::1], f4[::1]", allocates=True)
def raised(
    x: np.ndarray, even_taps: np.ndarray, odd_taps: np.ndarray, held: np.ndarray
) -> np.ndarray:
    """`x` ``[samples]`` at twice its rate, without a mirror image of anything in it.

    `held` are the last samples ``[len(odd_taps)]``; it is brought up to date.
    """
    count, reach = len(x), len(held)
    line = np.empty(reach + count, np.float32)
    copy(held, line[:reach])
    copy(x, line[reach:])
    evens, odds = np.zeros(count, np.float32), np.zeros(count, np.float32)
    for k in range(len(even_taps)):
        a, there = even_taps[k], line[reach - k : reach - k + count]
        for n in range(count):
            evens[n] += a * there[n]
    for k in range(len(odd_taps)):
        a, there = odd_taps[k], line[reach - k : reach - k + count]
        for n in range(count):
            odds[n] += a * there[n]
    out = np.empty(2 * count, np.float32)
    for n in range(count):
        out[2 * n], out[2 * n + 1] = evens[n], odds[n]
    copy(line[count:], held)
    return out


@device(fastmath=CONTRACT)
def add_taps(line: np.ndarray, taps: np.ndarray, scale: np.float32, out: np.ndarray) -> None:
    """Add a filter's answer to `line` ``[samples + taps - 1]`` to `out` ``[samples]``.

    Four taps at a time, whose number is a multiple of four: what is added up is then read and
    written a quarter as often.
    """
    count = len(out)
    for k in range(0, len(taps), 4):
        a, b = scale * taps[k], scale * taps[k + 1]
        c, d = scale * taps[k + 2], scale * taps[k + 3]
        there = line[k : k + count + 3]
        for n in range(count):
            first = (out[n] + a * there[n]) + b * there[n + 1]
            out[n] = (first + c * there[n + 2]) + d * there[n + 3]


@kernel("f4[::1], f4[::1], f4[::1], f4[::1]", allocates=True)
def halve(twice: np.ndarray, even_taps: np.ndarray, odd_taps: np.ndarray, out: np.ndarray) -> None:
    """Add every second sample of a filtered signal to `out` ``[samples]``.

    `twice` ``[2 * samples + 2 * REACH]`` begins `REACH` samples before the first wanted one.
    """
    evens, odds = twice[0::2].copy(), twice[1::2].copy()
    count, reach, one = len(out), len(even_taps) - 1, np.float32(1.0)
    for begin in range(0, count, PIECE):
        end = min(begin + PIECE, count)
        add_taps(evens[begin : end + reach], even_taps, one, out[begin:end])
        add_taps(odds[begin : end + reach], odd_taps, one, out[begin:end])


@kernel("f4[::1], f4[::1]", allocates=True)
def thin_out(wave: np.ndarray, taps: np.ndarray) -> np.ndarray:
    """Half of a wave's samples ``[2 * samples]``, in step with it, without what would fold far.

    What lies around the wave counts as silent: `FAR` samples at either end are not to be used.
    """
    count, reach = len(wave) // 2, len(taps) // 2
    out = np.float32(0.5) * wave[0::2]
    odds = np.zeros(count + 2 * reach, np.float32)
    copy(wave[1::2], odds[reach : reach + count])
    add_taps(odds, taps, np.float32(1.0), out)
    return out
