"""All-pass sections with a delay line in them: they smear without colouring."""

from __future__ import annotations

import numpy as np

from caligo.kernels import device
from caligo.signal.silence import DEAD
from caligo.signal.ticks import TICK


@device(inline="always")
def _kept(x: np.float32) -> np.float32:
    """A number, or nothing where it is `DEAD`: smaller ones slow the processor down for good."""
    return x if abs(x) > np.float32(DEAD) else np.float32(0.0)


@device
def _diffuse_changing(
    signal: np.ndarray, line: np.ndarray, at: int, length: int, to_length: int, g: np.float32
) -> None:
    """`diffuse` for a tick in which the length changes: a crossfade between two readings."""
    mask = len(line) - 1
    for n in range(TICK):
        before, after = line[(at + n - length) & mask], line[(at + n - to_length) & mask]
        held = before + np.float32(n / TICK) * (after - before)
        inner = _kept(signal[n] - g * held)
        line[(at + n) & mask] = inner
        signal[n] = held + g * inner


@device
def diffuse(
    signal: np.ndarray, line: np.ndarray, at: int, length: int, to_length: int, gain: float
) -> None:
    """One all-pass section (Schroeder 1962) over a tick: `signal` ``[TICK]`` in place.

    `line` is a ring ``[size]`` and `at` the index of the first sample. The section is longer than
    a tick, so the tick can be taken at once. Where its length changes the tick goes from the old
    length to the new one.
    """
    size = len(line)
    g = np.float32(gain)
    if to_length != length:
        _diffuse_changing(signal, line, at, length, to_length, g)
        return
    here = at & (size - 1)
    back = (at - length) & (size - 1)
    to = line[here : here + TICK]
    if back + TICK <= size:
        old = line[back : back + TICK]
        for n in range(TICK):
            held = old[n]
            inner = _kept(signal[n] - g * held)
            to[n] = inner
            signal[n] = held + g * inner
    else:
        for n in range(TICK):
            held = line[(back + n) & (size - 1)]
            inner = _kept(signal[n] - g * held)
            to[n] = inner
            signal[n] = held + g * inner
