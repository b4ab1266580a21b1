"""A tick of a longer signal, taken into room of its own and given back.

A slice of a signal's columns is no array without gaps: loops over it do not become vector
instructions, and every function that is given it is compiled once more.
"""

from __future__ import annotations

import numpy as np

from caligo.kernels import device
from caligo.signal.ticks import TICK


@device
def take_tick(signal: np.ndarray, k: int, tick: np.ndarray) -> None:
    """Tick `k` of `signal` ``[2, samples]`` into `tick` ``[2, TICK]``."""
    start = np.uint64(k * TICK)
    for c in range(2):
        for n in range(np.uint64(TICK)):
            tick[c, n] = signal[c, start + n]


@device
def give_tick(tick: np.ndarray, signal: np.ndarray, k: int) -> None:
    """The inverse of `take_tick`, from `tick` ``[2, TICK]`` into `signal` ``[2, samples]``."""
    start = np.uint64(k * TICK)
    for c in range(2):
        for n in range(np.uint64(TICK)):
            signal[c, start + n] = tick[c, n]
