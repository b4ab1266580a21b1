"""True peak by eightfold oversampling, as ITU-R BS.1770-4, Annex 2, wants it (at least fourfold).

The standard's own filter of twelve taps reads up to 1.8 dB too little of full-band signals. This
one is a windowed sinc (Oppenheim and Schafer, section 7.5: Kaiser's window), whose eight phases
are computed at once.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

OVER = 8
"""Values for each sample."""
TAPS = 80
SHARPNESS = 4.0
"""Kaiser's beta: stop band 53 dB down, so that the transition is narrow."""
PASSED = 0.9565
"""Corner as a share of half the sample rate, between what resamplers pass and what they stop."""
STRETCH = 256
"""Samples that are looked at together."""


def _interpolator() -> NDArray[np.float64]:
    """Factors of the last `TAPS` samples, the newest first, for each value between two of them."""
    tap, phase = np.arange(TAPS)[:, None], np.arange(OVER)[None, :]
    away = tap - (TAPS // 2 - 1) - 1.0 + phase / OVER
    window = np.i0(SHARPNESS * np.sqrt(np.maximum(0.0, 1.0 - (away / (TAPS / 2)) ** 2)))
    weights = np.sinc(away * PASSED) * window
    found: NDArray[np.float64] = weights / weights.sum(axis=0)
    return found


WEIGHTS = _interpolator()
"""The interpolating filter ``[TAPS, OVER]``."""
LARGEST_GAIN = float(np.abs(WEIGHTS).sum(axis=0).max())
"""No oversampled value exceeds the largest sample times this."""


@njit(cache=True, nogil=True)
def peak_between(samples: np.ndarray, weights: np.ndarray, end: int, values: np.ndarray) -> float:
    """The largest magnitude among the oversampled values that end at ``samples[end]``.

    They lie half of `TAPS` before it; `values` ``[OVER]`` is scratch.
    """
    values[:] = 0.0
    for tap in range(TAPS):
        x = samples[end - tap]
        for phase in range(OVER):
            values[phase] += weights[tap, phase] * x
    largest = 0.0
    for phase in range(OVER):
        largest = max(largest, abs(values[phase]))
    return largest


@njit(cache=True, nogil=True)
def _raised(samples: np.ndarray, weights: np.ndarray, largest: float) -> float:
    """The larger of `largest` and the true peak of `samples`, whose first `TAPS` - 1 lead in.

    Stretches that cannot exceed `largest`, since no sample comes near it, are passed over.
    """
    values = np.empty(OVER)
    for start in range(TAPS - 1, len(samples), STRETCH):
        end = min(start + STRETCH, len(samples))
        highest = 0.0
        for n in range(start - TAPS + 1, end):
            highest = max(highest, abs(samples[n]))
        if highest * LARGEST_GAIN <= largest:
            continue
        for n in range(start, end):
            largest = max(largest, abs(samples[n]), peak_between(samples, weights, n, values))
    return largest


class TruePeakMeter:
    """The true peak of a signal that arrives in pieces."""

    def __init__(self, channels: int = 2) -> None:
        self._tail = np.zeros((channels, TAPS - 1), np.float64)
        self.peak = 0.0

    def add(self, signal: NDArray[np.float32]) -> None:
        """Take in `signal` ``[channels, samples]``."""
        for channel, samples in enumerate(signal):
            joined = np.concatenate([self._tail[channel], samples.astype(np.float64)])
            self.peak = float(_raised(joined, WEIGHTS, self.peak))
            self._tail[channel] = joined[-(TAPS - 1) :]

    @property
    def decibels(self) -> float:
        """The true peak so far in dBTP."""
        return 20.0 * math.log10(self.peak) if self.peak > 0 else -math.inf


def true_peak(signal: NDArray[np.float32]) -> float:
    """The true peak of `signal` ``[channels, samples]`` in dBTP."""
    meter = TruePeakMeter(signal.shape[0])
    meter.add(signal)
    meter.add(np.zeros((signal.shape[0], TAPS), np.float32))
    return meter.decibels
