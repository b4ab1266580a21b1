"""Four times the sample rate and back, for what bends waves: its overtones do not fold.

Two half-band filters on either way, each with every second tap zero but the middle one. Source:
Oppenheim and Schafer, Discrete-Time Signal Processing, sections 4.7 and 7.5 (from memory). The
first is even to 0.83 of half the sample rate; the second only has to stop what lies far away.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.signal.oversampling import FAR, half_band

Floats32 = NDArray[np.float32]

NEAR = 36
"""Taps besides the middle one of the filter between one and two times the rate; there are `FAR`
between two and four times."""
LATENCY = 41
"""Samples by which what went up and down is late: ``NEAR - 1`` samples of twice the rate and
``FAR - 1`` of four times on either way, and `EXTRA`."""
EXTRA = 2
"""Samples at four times the rate that are waited for, so that the latency is whole."""

NEAR_TAPS = half_band(NEAR)


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
def doubled(x: np.ndarray, taps: np.ndarray, held: np.ndarray) -> np.ndarray:
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
def halved(x: np.ndarray, taps: np.ndarray, held: np.ndarray) -> np.ndarray:
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
    return doubled(doubled(x, near_taps, near), far_taps, far)


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
    return halved(halved(late, far_taps, far), near_taps, near)
