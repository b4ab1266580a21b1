"""Four times the sample rate and back, for what bends waves: its overtones do not fold.

Two half-band filters on either way, each with every second tap zero but the middle one. Source:
Oppenheim and Schafer, Discrete-Time Signal Processing, sections 4.7 and 7.5 (from memory). The
first is even to 0.83 of half the sample rate; the second only has to stop what lies far away.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats32 = NDArray[np.float32]

STEEPNESS = 8.9
"""The Kaiser windows' beta: 90 dB between what passes and what is stopped."""
NEAR, FAR = 36, 12
"""Taps besides the middle one of the filters between one and two, and two and four times the
rate."""
LATENCY = 41
"""Samples by which what went up and down is late: ``NEAR - 1`` samples of twice the rate and
``FAR - 1`` of four times on either way, and `EXTRA`."""
EXTRA = 2
"""Samples at four times the rate that are waited for, so that the latency is whole."""


def _half_band(count: int) -> Floats32:
    """The taps ``[count]`` that are not zero, but for the middle one, which is a half."""
    at = 2.0 * np.arange(count) - (count - 1.0)
    window = np.kaiser(2 * count + 1, STEEPNESS)[1::2]
    taps = 0.5 * np.sinc(0.5 * at) * window
    found: Floats32 = (0.5 * taps / taps.sum()).astype(np.float32)
    return found


NEAR_TAPS, FAR_TAPS = _half_band(NEAR), _half_band(FAR)


def state() -> dict[str, Floats32]:
    """What the ways up and down remember of a stereo signal, at rest: ``[2, samples]`` by name."""
    return {
        "up_near": np.zeros((2, NEAR - 1), np.float32),
        "up_far": np.zeros((2, FAR - 1), np.float32),
        "waiting": np.zeros((2, EXTRA), np.float32),
        "down_far": np.zeros((2, 2 * FAR - 2), np.float32),
        "down_near": np.zeros((2, 2 * NEAR - 2), np.float32),
    }


@njit(cache=True, nogil=True)
def _double(x: np.ndarray, taps: np.ndarray, held: np.ndarray) -> np.ndarray:
    """`x` ``[samples]`` at twice its rate; `held` are the last samples ``[taps - 1]``."""
    count, reach, half = len(x), len(held), len(taps) // 2
    line = np.empty(reach + count, np.float32)
    line[:reach] = held
    line[reach:] = x
    between = np.zeros(count, np.float32)
    for k in range(len(taps)):
        a = np.float32(2.0) * taps[k]
        there = line[k : k + count]
        for n in range(count):
            between[n] += a * there[n]
    out = np.empty(2 * count, np.float32)
    for n in range(count):
        out[2 * n] = between[n]
        out[2 * n + 1] = line[n + half]
    held[:] = line[count:]
    return out


@njit(cache=True, nogil=True)
def _halve(x: np.ndarray, taps: np.ndarray, held: np.ndarray) -> np.ndarray:
    """`x` ``[2 * samples]`` at half its rate; `held` are the last samples ``[2 * taps - 2]``."""
    count, reach, half = len(x) // 2, len(held), len(taps) // 2
    line = np.empty(reach + len(x), np.float32)
    line[:reach] = held
    line[reach:] = x
    evens, odds = line[0::2].copy(), line[1::2].copy()
    out = np.empty(count, np.float32)
    for n in range(count):
        out[n] = np.float32(0.5) * odds[n + half - 1]
    for k in range(len(taps)):
        a = taps[k]
        there = evens[k : k + count]
        for n in range(count):
            out[n] += a * there[n]
    held[:] = line[len(x) :]
    return out


@njit(cache=True, nogil=True)
def up(
    x: np.ndarray,
    near_taps: np.ndarray,
    far_taps: np.ndarray,
    near: np.ndarray,
    far: np.ndarray,
) -> np.ndarray:
    """`x` ``[samples]`` at four times its rate ``[4 * samples]``; `near`, `far` are carried on."""
    return _double(_double(x, near_taps, near), far_taps, far)


@njit(cache=True, nogil=True)
def down(
    x: np.ndarray,
    near_taps: np.ndarray,
    far_taps: np.ndarray,
    near: np.ndarray,
    far: np.ndarray,
    waiting: np.ndarray,
) -> np.ndarray:
    """`x` ``[4 * samples]`` at a quarter of its rate, `LATENCY` late after `up`."""
    late = np.empty(len(x), np.float32)
    late[:EXTRA] = waiting
    late[EXTRA:] = x[: len(x) - EXTRA]
    waiting[:] = x[len(x) - EXTRA :]
    return _halve(_halve(late, far_taps, far), near_taps, near)
