"""True peak by eightfold oversampling, as ITU-R BS.1770-4, Annex 2, wants it (at least fourfold).

The standard's own filter of twelve taps reads up to 1.8 dB too little of full-band signals. This
one is a windowed sinc (Oppenheim and Schafer, section 7.5: Kaiser's window), whose eight phases
are computed at once.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import device, kernel
from caligo.signal.ticks import TICK

OVER = 8
"""Values for each sample."""
TAPS = 80
SHARPNESS = 4.0
"""Kaiser's beta: stop band 53 dB down, so that the transition is narrow."""
PASSED = 0.9595
"""Corner as a fraction of half the sample rate, between what resamplers pass and what they stop."""


def _interpolator() -> NDArray[np.float32]:
    """Factors of the last `TAPS` samples, the oldest first, for each value between two of them."""
    tap, phase = np.arange(TAPS)[None, :], np.arange(OVER)[:, None]
    away = tap - (TAPS // 2 - 1) - 1.0 + phase / OVER
    window = np.i0(SHARPNESS * np.sqrt(np.maximum(0.0, 1.0 - (away / (TAPS / 2)) ** 2)))
    weights = np.sinc(away * PASSED) * window
    found: NDArray[np.float32] = np.ascontiguousarray(
        (weights / weights.sum(axis=1, keepdims=True))[:, ::-1], dtype=np.float32
    )
    return found


WEIGHTS = _interpolator()
"""The interpolating filter ``[OVER, TAPS]``."""
LARGEST_GAIN = float(np.abs(WEIGHTS).sum(axis=1).max())
"""No oversampled value exceeds the largest sample times this."""


@device
def peaks_between(
    samples: np.ndarray, weights: np.ndarray, values: np.ndarray, out: np.ndarray
) -> None:
    """The largest magnitude around each sample of a tick, at it and between it and the next.

    Parameters
    ----------
    samples
        ``[TAPS - 1 + TICK]``, the first `TAPS` - 1 of which lead in.
    weights
        ``[OVER, TAPS]``, the oldest sample's first.
    values
        Scratch ``[TICK]``.
    out
        Receives the peaks at each sample, or half of `TAPS` before it ``[TICK]``.
    """
    newest = samples[TAPS - 1 :]
    for n in range(TICK):
        out[n] = abs(newest[n])
    # All samples of a factor at once: neighbours in memory are multiplied together.
    for phase in range(OVER):
        for n in range(TICK):
            values[n] = 0.0
        for tap in range(TAPS):
            weight, before = weights[phase, tap], samples[tap : tap + TICK]
            for n in range(TICK):
                values[n] += weight * before[n]
        for n in range(TICK):
            out[n] = max(out[n], abs(values[n]))


@kernel("f4[::1], f4[:, ::1], f8", allocates=True)
def _raised(samples: np.ndarray, weights: np.ndarray, largest: float) -> float:
    """The larger of `largest` and the true peak of `samples`, whose first `TAPS` - 1 lead in.

    Ticks that cannot exceed `largest`, since no sample comes near it, are passed over.
    """
    values, peaks = np.empty(TICK, np.float32), np.empty(TICK, np.float32)
    piece = np.zeros(TAPS - 1 + TICK, np.float32)
    for start in range(0, len(samples) - TAPS + 1, TICK):
        size = min(TAPS - 1 + TICK, len(samples) - start)
        highest = 0.0
        for n in range(size):
            piece[n] = samples[start + n]
            highest = max(highest, abs(piece[n]))
        if highest * LARGEST_GAIN <= largest:
            continue
        piece[size:] = 0.0
        peaks_between(piece, weights, values, peaks)
        for n in range(size - TAPS + 1):
            largest = max(largest, peaks[n])
    return largest


class TruePeakMeter:
    """The true peak of a signal that arrives in pieces."""

    def __init__(self, channels: int = 2) -> None:
        self._tail = np.zeros((channels, TAPS - 1), np.float32)
        self.peak = 0.0

    def add(self, signal: NDArray[np.float32]) -> None:
        """Take in `signal` ``[channels, samples]``."""
        for channel, samples in enumerate(signal):
            joined = np.concatenate([self._tail[channel], samples])
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
