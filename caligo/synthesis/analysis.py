"""The short-time spectrum of a recording, as the spectral source plays it."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from functools import cached_property
from threading import Lock

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.ndimage import median_filter

from caligo.material.shelf import Recording

SIZE = 4096
HOP = 1024
BINS = SIZE // 2 + 1
LONGEST = 120.0
"""Seconds of a recording that are analysed; what lies behind is not played."""
KEPT = 4
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
        total = np.zeros((self.frames + 1, BINS), np.float64)
        np.cumsum(self.magnitude, axis=0, out=total[1:], dtype=np.float64)
        return total.astype(np.float32)

    @cached_property
    def tonal(self) -> NDArray[np.float32]:
        """How much of each bin is tone rather than noise or stroke, 0 to 1 ``[frames, BINS]``.

        By medians along time and along frequency (Fitzgerald, "Harmonic/percussive separation
        using median filtering", DAFx 2010), as a soft mask.
        """
        along_time = median_filter(self.magnitude, size=(17, 1)) ** 2
        along_frequency = median_filter(self.magnitude, size=(1, 17)) ** 2
        share = along_time / (along_time + 3.0 * along_frequency + 1e-20)
        found: NDArray[np.float32] = share.astype(np.float32)
        return found


def analyse(recording: Recording) -> Analysis:
    """The analysis of both sides of a recording together."""
    mono = recording.samples.mean(axis=0)[: int(LONGEST * recording.rate)]
    padded = np.pad(mono, (SIZE // 2, SIZE // 2 + HOP + 1)).astype(np.float32)
    count = max(1, len(mono) // HOP + 1)
    where = np.arange(count) * HOP

    def spectra(shift: int) -> NDArray[np.complex64]:
        frames = np.lib.stride_tricks.sliding_window_view(padded, SIZE)[where + shift]
        turned = fft.ifftshift(frames * WINDOW, axes=1)
        found: NDArray[np.complex64] = fft.rfft(turned, axis=1).astype(np.complex64)
        return found

    here, later = spectra(0), spectra(1)
    # One sample later, each bin's phase has turned by its frequency.
    step = np.angle(later * np.conj(here)).astype(np.float32)
    frequency = step * np.float32(SIZE / (2.0 * np.pi))
    bins = np.arange(BINS, dtype=np.float32)
    np.clip(frequency, bins - 2.0, bins + 2.0, out=frequency)
    magnitude = np.abs(here) * np.float32(2.0 / WINDOW.sum())
    return Analysis(np.ascontiguousarray(magnitude), np.maximum(frequency, 0.0), recording.rate)


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
