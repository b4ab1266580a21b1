"""Direct current taken away."""

from __future__ import annotations

import numpy as np

from caligo.kernels import kernel
from caligo.signal.silence import DEAD

STANDING = 2.0
"""Hz below which a signal counts as standing: at 20 Hz 0.04 dB are lost."""
SETTLED = 0.35
"""Seconds after which what moved before is forgotten: 38 dB under what 2 Hz leave of it."""


@kernel("f4[:, ::1], f8, f8[::1]")
def lose_offset(signal: np.ndarray, fraction: float, state: np.ndarray) -> None:
    """Take what stands still away from `signal` ``[2, samples]``, in place.

    `fraction` is the one-pole coefficient of `STANDING`, see `caligo.signal.smoothing`, `state` the
    low-pass of either channel ``[2]``; carried on.
    """
    left, right, stays = state[0], state[1], 1.0 - fraction
    for n in range(signal.shape[1]):
        x, y = signal[0, n], signal[1, n]
        left = stays * left + fraction * x
        right = stays * right + fraction * y
        signal[0, n] = x - left
        signal[1, n] = y - right
    state[0] = left if abs(left) > DEAD else 0.0
    state[1] = right if abs(right) > DEAD else 0.0
