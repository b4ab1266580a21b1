"""The pan laws: one for balancing a stereo signal, one for placing a voice."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import kernel
from caligo.signal.ticks import TICK

Floats = NDArray[np.float64]


def balance(pan: Floats) -> tuple[Floats, Floats]:
    """Gains of left and right ``[...]`` for a pan of -100 to 100 %; 1 for both at the centre.

    Constant power below the centre's level (common practice), so nothing gets louder.
    """
    angle = (pan / 100.0 + 1.0) * (math.pi / 4.0)
    left = np.minimum(math.sqrt(2.0) * np.cos(angle), 1.0)
    right = np.minimum(math.sqrt(2.0) * np.sin(angle), 1.0)
    # At the ends the other channel is silent, not only very soft.
    return np.where(pan >= 100.0, 0.0, left), np.where(pan <= -100.0, 0.0, right)


@kernel("f8[::1], f8[::1], f8[::1]", allocates=True)
def placed(
    offsets: np.ndarray, spread: np.ndarray, gain: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Gains of left and right for each voice of a unison ``[voices, ticks + 1]``.

    By the constant-power pan law, a voice in the middle being as loud on both channels as `gain`.

    Parameters
    ----------
    offsets
        Where each voice stands, from -1 to 1 ``[voices]``.
    spread, gain
        At every tick ``[ticks + 1]``; a spread of 1 reaches the channels.
    """
    left = np.empty((len(offsets), len(spread)))
    right = np.empty_like(left)
    for o in range(len(offsets)):
        for k in range(len(spread)):
            angle = (1.0 + offsets[o] * spread[k]) * (math.pi / 4.0)
            left[o, k] = math.sqrt(2.0) * math.cos(angle) * gain[k]
            right[o, k] = math.sqrt(2.0) * math.sin(angle) * gain[k]
    return left, right


@kernel("f4[:, ::1], f8[::1], f8[::1], f4[:, ::1]")
def add_placed(voice: np.ndarray, left: np.ndarray, right: np.ndarray, out: np.ndarray) -> None:
    """Add ``[2, samples]`` with gains of left and right at every tick ``[ticks + 1]``."""
    for k in range(len(left) - 1):
        a, b = np.float32(left[k]), np.float32(right[k])
        a_step = np.float32((left[k + 1] - left[k]) / TICK)
        b_step = np.float32((right[k + 1] - right[k]) / TICK)
        start = np.uint64(k * TICK)
        for n in range(np.uint64(TICK)):
            out[0, start + n] += voice[0, start + n] * (a + np.float32(np.int32(n)) * a_step)
        for n in range(np.uint64(TICK)):
            out[1, start + n] += voice[1, start + n] * (b + np.float32(np.int32(n)) * b_step)
