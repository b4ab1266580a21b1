"""Four times the sample rate and back, for what bends waves: its overtones do not fold.

Two half-band filters on either way, each with every second tap zero but the middle one. Source:
Oppenheim and Schafer, Discrete-Time Signal Processing, sections 4.7 and 7.5 (from memory). The
first is even to 0.83 of half the sample rate; the second only has to stop what lies far away.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import device, kernel
from caligo.signal.arrays import copy
from caligo.signal.oversampling import FAR, add_taps, half_band

Floats32 = NDArray[np.float32]

NEAR = 36
"""Taps besides the middle one of the filter between one and two times the rate; there are `FAR`
between two and four times."""
LATENCY = 41
"""Samples by which what went up and down is late: ``NEAR - 1`` samples of twice the rate and
``FAR - 1`` of four times on either way, and `EXTRA`."""
PIECE = 1024
"""Samples that are made at a time, so that they stay in the processor's nearest memory."""
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


@kernel("f4[::1], f4[::1], f4[::1]", allocates=True)
def doubled(x: np.ndarray, taps: np.ndarray, held: np.ndarray) -> np.ndarray:
    """`x` ``[samples]`` at twice its rate; `held` are the last samples ``[taps - 1]``."""
    count, reach, half = len(x), len(held), len(taps) // 2
    line = np.empty(reach + count, np.float32)
    copy(held, line[:reach])
    copy(x, line[reach:])
    between = np.empty(PIECE, np.float32)
    out = np.empty(2 * count, np.float32)
    for begin in range(0, count, PIECE):
        size = min(PIECE, count - begin)
        between[:] = np.float32(0.0)
        add_taps(line[begin:], taps, np.float32(2.0), between[:size])
        middle = line[begin + half :]
        evens, odds = out[2 * begin :: 2], out[2 * begin + 1 :: 2]
        for n in range(size):
            evens[n] = between[n]
            odds[n] = middle[n]
    copy(line[count:], held)
    return out


@device(allocates=True)
def halved(x: np.ndarray, taps: np.ndarray, held: np.ndarray) -> np.ndarray:
    """`x` ``[2 * samples]`` at half its rate; `held` are the last samples ``[2 * taps - 2]``."""
    count, reach, half = len(x) // 2, len(held) // 2, len(taps) // 2
    evens, odds = np.empty(reach + count, np.float32), np.empty(reach + count, np.float32)
    for n in range(reach):
        evens[n], odds[n] = held[2 * n], held[2 * n + 1]
    copy(x[0::2], evens[reach:])
    copy(x[1::2], odds[reach:])
    out = np.empty(count, np.float32)
    for begin in range(0, count, PIECE):
        to = out[begin : begin + PIECE]
        middle = odds[begin + half - 1 :]
        for n in range(len(to)):
            to[n] = np.float32(0.5) * middle[n]
        add_taps(evens[begin:], taps, np.float32(1.0), to)
    for n in range(reach):
        held[2 * n], held[2 * n + 1] = evens[count + n], odds[count + n]
    return out


@device(allocates=True)
def down(
    x: np.ndarray,
    near_taps: np.ndarray,
    far_taps: np.ndarray,
    near: np.ndarray,
    far: np.ndarray,
    waiting: np.ndarray,
) -> np.ndarray:
    """`x` ``[4 * samples]`` at a quarter of its rate, `LATENCY` late after doubling twice."""
    delayed = np.empty(len(x), np.float32)
    copy(waiting, delayed[:EXTRA])
    copy(x, delayed[EXTRA:])
    copy(x[len(x) - EXTRA :], waiting)
    return halved(halved(delayed, far_taps, far), near_taps, near)
