"""When a signal or a state counts as nothing."""

from __future__ import annotations

import numpy as np

from caligo.kernels import device, kernel

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


LARGEST = np.float32(np.finfo(np.float32).max)


@kernel("f4[:, ::1]")
def silence_broken(signal: np.ndarray) -> None:
    """Replace what is no finite number in ``[channels, samples]`` by zeros.

    What remembers its input would give back one such sample for ever.
    """
    for c in range(signal.shape[0]):
        channel = signal[c]
        broken = 0
        for n in range(len(channel)):
            broken += 0 if abs(channel[n]) <= LARGEST else 1
        if broken > 0:
            for n in range(len(channel)):
                if not abs(channel[n]) <= LARGEST:
                    channel[n] = np.float32(0.0)
