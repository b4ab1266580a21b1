"""True peak by fourfold oversampling: ITU-R BS.1770-4, Annex 2."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

_PHASE_0 = (
    0.0017089843750,
    0.0109863281250,
    -0.0196533203125,
    0.0332031250000,
    -0.0594482421875,
    0.1373291015625,
    0.9721679687500,
    -0.1022949218750,
    0.0476074218750,
    -0.0266113281250,
    0.0148925781250,
    -0.0083007812500,
)
_PHASE_1 = (
    -0.0291748046875,
    0.0292968750000,
    -0.0517578125000,
    0.0891113281250,
    -0.1665039062500,
    0.4650878906250,
    0.7797851562500,
    -0.2003173828125,
    0.1015625000000,
    -0.0582275390625,
    0.0330810546875,
    -0.0189208984375,
)
TAPS = 12
STRETCH = 256
"""Samples that are looked at together."""
PHASES: NDArray[np.float64] = np.array([_PHASE_0, _PHASE_1, _PHASE_1[::-1], _PHASE_0[::-1]])
"""The interpolating filter of BS.1770-4, Annex 2, ``[phases, taps]``; from memory."""
LARGEST_GAIN = float(np.abs(PHASES).sum(axis=1).max())
"""No oversampled value exceeds the largest sample times this."""


@njit(cache=True, nogil=True)
def peak_between(samples: np.ndarray, phases: np.ndarray, end: int) -> float:
    """The largest magnitude among the four oversampled values that end at ``samples[end]``."""
    largest = 0.0
    for phase in range(4):
        value = 0.0
        for tap in range(TAPS):
            value += phases[phase, tap] * samples[end - tap]
        largest = max(largest, abs(value))
    return largest


@njit(cache=True, nogil=True)
def _raised(samples: np.ndarray, phases: np.ndarray, largest: float) -> float:
    """The larger of `largest` and the true peak of `samples`, whose first `TAPS` - 1 lead in.

    Stretches that cannot exceed `largest`, since no sample comes near it, are passed over.
    """
    for start in range(TAPS - 1, len(samples), STRETCH):
        end = min(start + STRETCH, len(samples))
        highest = 0.0
        for n in range(start - TAPS + 1, end):
            highest = max(highest, abs(samples[n]))
        if highest * LARGEST_GAIN <= largest:
            continue
        for n in range(start, end):
            largest = max(largest, abs(samples[n]), peak_between(samples, phases, n))
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
            self.peak = float(_raised(joined, PHASES, self.peak))
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
