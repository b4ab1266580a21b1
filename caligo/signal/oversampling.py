"""From twice the sample rate to the sample rate: what bends waves makes overtones that fold."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

REACH = 64
"""Samples at twice the rate that the filter looks ahead and back."""
PIECE = 512
"""Samples that are made at a time, so that they stay in the processor's nearest memory."""
CORNER = 0.463
"""Where the filter is half way down, as a share of half the doubled rate."""
STEEPNESS = 8.9
"""The Kaiser window's beta: 90 dB between what passes and what is stopped."""


def taps() -> NDArray[np.float32]:
    """A windowed sinc ``[2 * REACH]``: even to 0.83 of the lower half sample rate, gone at 1.02.

    Oppenheim and Schafer, Discrete-Time Signal Processing, section 7.5 (from memory).
    """
    at = np.arange(2 * REACH) - (REACH - 0.5)
    windowed = CORNER * np.sinc(CORNER * at) * np.kaiser(2 * REACH, STEEPNESS)
    found: NDArray[np.float32] = (windowed / windowed.sum()).astype(np.float32)
    return found


TAPS = taps()
EVEN: NDArray[np.float32] = np.ascontiguousarray(TAPS[0::2])
ODD: NDArray[np.float32] = np.ascontiguousarray(TAPS[1::2])


@njit(cache=True, nogil=True)
def halve(twice: np.ndarray, even_taps: np.ndarray, odd_taps: np.ndarray, out: np.ndarray) -> None:
    """Add every second sample of a filtered signal to `out` ``[samples]``.

    `twice` ``[2 * samples + 2 * REACH]`` begins `REACH` samples before the first wanted one.
    """
    evens = twice[0::2].copy()
    odds = twice[1::2].copy()
    for begin in range(0, len(out), PIECE):
        to = out[begin : begin + PIECE]
        for k in range(len(even_taps)):
            a, b = even_taps[k], odd_taps[k]
            even, odd = evens[begin + k :], odds[begin + k :]
            for n in range(len(to)):
                to[n] += a * even[n] + b * odd[n]
