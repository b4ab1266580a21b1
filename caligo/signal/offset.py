"""Direct current taken away."""

from __future__ import annotations

import numpy as np
from numba import njit

from caligo.signal.state_variable import DEAD

STANDING = 2.0
"""Hz below which a signal counts as standing: at 20 Hz 0.04 dB are lost."""


@njit(cache=True, nogil=True)
def lose_offset(signal: np.ndarray, share: float, state: np.ndarray) -> None:
    """Take what stands still away from `signal` ``[2, samples]``, in place.

    `share` is the one-pole share of `STANDING` (see `caligo.signal.smoothing`), `state` the
    low-pass of either side ``[2]``; carried on.
    """
    for c in range(2):
        low = state[c]
        for n in range(signal.shape[1]):
            low += share * (signal[c, n] - low)
            signal[c, n] -= low
        state[c] = low if abs(low) > DEAD else 0.0
