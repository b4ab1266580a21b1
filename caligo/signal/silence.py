"""When a signal or a state counts as nothing."""

from __future__ import annotations

import numpy as np

from caligo.kernels import device

DEAD = 1e-20
"""What is smaller, 400 dB under full scale, counts as nothing. Left alone it would get so small
that the processor computes with it a hundred times slower."""


@device
def is_silent(signal: np.ndarray) -> bool:
    """Whether all of ``[samples]`` are zero."""
    n = 0
    while n < len(signal) and signal[n] == np.float32(0.0):
        n += 1
    return n == len(signal)
