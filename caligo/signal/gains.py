"""Gains that move: given at every control tick and joined by lines, so that nothing zips."""

from __future__ import annotations

import numpy as np

from caligo.kernels import kernel
from caligo.signal.ticks import TICK


@kernel("f4[:, ::1], f8[::1], f8[::1], f4[:, ::1]")
def add_scaled(signal: np.ndarray, left: np.ndarray, right: np.ndarray, out: np.ndarray) -> None:
    """Add a signal to another, with gains of its own for left and right.

    Parameters
    ----------
    signal, out
        ``[2, samples]``.
    left, right
        Factors at every tick ``[ticks + 1]``.
    """
    for k in range(len(left) - 1):
        for c in range(2):
            gains = left if c == 0 else right
            g = np.float32(gains[k])
            step = np.float32((gains[k + 1] - gains[k]) / TICK)
            given, to = signal[c, k * TICK : (k + 1) * TICK], out[c, k * TICK : (k + 1) * TICK]
            for n in range(TICK):
                to[n] += given[n] * (g + np.float32(n) * step)


@kernel("f4[:, :, ::1], f8[:, ::1], f4[:, ::1]")
def sum_voices(signal: np.ndarray, gains: np.ndarray, out: np.ndarray) -> None:
    """Add voices ``[voices, 2, samples]`` times gains ``[voices, ticks + 1]`` to `out`."""
    for v in range(signal.shape[0]):
        for k in range(gains.shape[1] - 1):
            g = np.float32(gains[v, k])
            step = np.float32((gains[v, k + 1] - gains[v, k]) / TICK)
            if g == 0.0 and step == 0.0:
                continue
            for c in range(2):
                voice = signal[v, c, k * TICK : (k + 1) * TICK]
                to = out[c, k * TICK : (k + 1) * TICK]
                for n in range(TICK):
                    to[n] += voice[n] * (g + np.float32(n) * step)


@kernel("f4[:, ::1], f8[:, ::1]")
def scale_waves(waves: np.ndarray, gains: np.ndarray) -> None:
    """Multiply ``[voices, samples]`` by gains at every tick ``[voices, ticks + 1]``."""
    for v in range(waves.shape[0]):
        for k in range(gains.shape[1] - 1):
            g, step = gains[v, k], (gains[v, k + 1] - gains[v, k]) / TICK
            tick = waves[v, k * TICK : (k + 1) * TICK]
            for n in range(TICK):
                tick[n] *= np.float32(g + n * step)


@kernel("f4[:, :, ::1], f8[::1]")
def scale_stereo(signal: np.ndarray, gains: np.ndarray) -> None:
    """Multiply ``[streams, 2, samples]`` in place by gains at every tick ``[ticks + 1]``."""
    for v in range(signal.shape[0]):
        for k in range(len(gains) - 1):
            g, step = gains[k], (gains[k + 1] - gains[k]) / TICK
            for c in range(2):
                tick = signal[v, c, k * TICK : (k + 1) * TICK]
                for n in range(TICK):
                    tick[n] *= np.float32(g + n * step)


@kernel("f4[:, :, ::1], f4[:, :, ::1], f8[:, ::1]")
def crossfade(first: np.ndarray, second: np.ndarray, fraction: np.ndarray) -> None:
    """Go from `first` to `second` by `fraction`; equal gain, for signals that are alike.

    Parameters
    ----------
    first, second
        ``[voices, 2, samples]``; `first` is changed in place.
    fraction
        0 for the first, 1 for the second, at every tick ``[voices, ticks + 1]``.
    """
    for v in range(first.shape[0]):
        for k in range(fraction.shape[1] - 1):
            start, step = fraction[v, k], (fraction[v, k + 1] - fraction[v, k]) / TICK
            for c in range(2):
                here = first[v, c, k * TICK : (k + 1) * TICK]
                there = second[v, c, k * TICK : (k + 1) * TICK]
                for n in range(TICK):
                    x = start + n * step
                    here[n] += x * (there[n] - here[n])
