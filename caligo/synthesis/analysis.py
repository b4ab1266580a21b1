"""The short-time spectrum of a recording, as the spectral source plays it."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.ndimage import median_filter

from caligo.material.long import let_go
from caligo.material.recording import Recording

SIZE = 4096
HOP = 1024
BINS = SIZE // 2 + 1
LONGEST = 120.0
"""Seconds of a recording that are analysed; what lies behind is not played."""
KEPT = 4
CHUNK = 128
"""Frames that are worked on at a time."""
MEDIAN = 17
"""Frames or bins that a median is taken of."""
# A Hann window, symmetric around the frame's middle; spectra are taken from the middle on, so
# that all bins of a steady sine's lobe have the same phase.
WINDOW = (0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(SIZE) / SIZE)).astype(np.float32)


@dataclass(frozen=True)
class Analysis:
    """Magnitudes and frequencies of a recording's short-time spectrum.

    Parameters
    ----------
    magnitude
        Amplitudes of sines ``[frames, BINS]``.
    frequency
        The frequency that each bin's phase turns with, in bins ``[frames, BINS]``: the phase
        vocoder's instantaneous frequency (Flanagan and Golden 1966; Dolson 1986).
    rate
        Samples per second that `HOP` and bins refer to.
    """

    magnitude: NDArray[np.float32]
    frequency: NDArray[np.float32]
    rate: int

    @property
    def frames(self) -> int:
        """Spectra, `HOP` samples apart."""
        return len(self.magnitude)

    @cached_property
    def summed(self) -> NDArray[np.float32]:
        """Magnitudes added up from the start ``[frames + 1, BINS]``: means over any stretch."""
        total = np.zeros((self.frames + 1, BINS), np.float32)
        before = np.zeros(BINS)
        for first, last in _chunks(self.frames):
            added = before + np.cumsum(self.magnitude[first:last], axis=0, dtype=np.float64)
            total[first + 1 : last + 1] = added
            before = added[-1]
        return total

    @cached_property
    def tonal(self) -> NDArray[np.float32]:
        """How much of each bin is tone rather than noise or stroke, 0 to 1 ``[frames, BINS]``.

        By medians along time and along frequency (Fitzgerald, "Harmonic/percussive separation
        using median filtering", DAFx 2010), as a soft mask.
        """
        found = np.empty_like(self.magnitude)
        for first, last in _chunks(self.frames):
            # With as many frames around as the median looks at.
            low, high = max(0, first - MEDIAN), min(self.frames, last + MEDIAN)
            here = self.magnitude[low:high]
            along_time = median_filter(here, size=(MEDIAN, 1)) ** 2
            along_frequency = median_filter(here, size=(1, MEDIAN)) ** 2
            share = along_time / (along_time + 3.0 * along_frequency + 1e-20)
            found[first:last] = share[first - low : last - low]
        return found


def _chunks(frames: int) -> Iterator[tuple[int, int]]:
    """Stretches of frames that are worked on at a time, so that memory stays small."""
    for first in range(0, frames, CHUNK):
        yield first, min(frames, first + CHUNK)


def analyse(recording: Recording) -> Analysis:
    """The analysis of both sides of a recording together."""
    length = min(recording.frames, int(LONGEST * recording.rate))
    padded = np.zeros(length + SIZE + HOP + 1, np.float32)
    recording.samples[:, :length].mean(axis=0, out=padded[SIZE // 2 : SIZE // 2 + length])
    let_go(recording.samples)
    count = max(1, length // HOP + 1)
    magnitude, frequency = (np.empty((count, BINS), np.float32) for _ in range(2))
    bins = np.arange(BINS, dtype=np.float32)
    windows = np.lib.stride_tricks.sliding_window_view(padded, SIZE)

    def spectra(first: int, last: int, shift: int) -> NDArray[np.complex64]:
        frames = windows[np.arange(first, last) * HOP + shift]
        turned = fft.ifftshift(frames * WINDOW, axes=1)
        found: NDArray[np.complex64] = fft.rfft(turned, axis=1).astype(np.complex64)
        return found

    for first, last in _chunks(count):
        here, later = spectra(first, last, 0), spectra(first, last, 1)
        # One sample later, each bin's phase has turned by its frequency.
        step = np.angle(later * np.conj(here)).astype(np.float32)
        turned = step * np.float32(SIZE / (2.0 * np.pi))
        frequency[first:last] = np.maximum(np.clip(turned, bins - 2.0, bins + 2.0), 0.0)
        magnitude[first:last] = np.abs(here) * np.float32(2.0 / WINDOW.sum())
    return Analysis(magnitude, frequency, recording.rate)


_lock = Lock()
_ready: OrderedDict[tuple[str, str], Analysis] = OrderedDict()


def analysis_of(recording: Recording) -> Analysis:
    """The analysis of a recording, kept for the next time."""
    name = (recording.card.key, recording.card.signature())
    with _lock:
        if name in _ready:
            _ready.move_to_end(name)
            return _ready[name]
    made = analyse(recording)
    with _lock:
        _ready[name] = made
        while len(_ready) > KEPT:
            _ready.popitem(last=False)
    return made
