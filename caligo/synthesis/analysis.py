"""The short-time spectrum of a recording, as the spectral source plays it."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from caligo.material.long import RowFile, beside, mapped, stretch
from caligo.material.recording import Recording
from caligo.signal import fourier

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


def window_of(size: int) -> NDArray[np.float32]:
    """A Hann window, symmetric around the middle of a frame ``[size]``."""
    return (0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(size) / size)).astype(np.float32)


# Spectra are taken from the middle on: all bins of a steady sine's lobe have the same phase.
WINDOW = window_of(SIZE)


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
    place
        Where files are kept that are made of a long recording; see `caligo.material.long`.
    """

    magnitude: NDArray[np.float32]
    frequency: NDArray[np.float32]
    rate: int
    place: Path | None = None

    @property
    def frames(self) -> int:
        """Spectra, `HOP` samples apart."""
        return len(self.magnitude)

    @cached_property
    def summed(self) -> NDArray[np.float32]:
        """Magnitudes added up from the start ``[frames + 1, BINS]``: means over any stretch."""

        def fill(total: RowFile) -> None:
            before = np.zeros(BINS)
            total.write(0, before[None])
            for first, last in _chunks(self.frames):
                added = before + np.cumsum(self.magnitude[first:last], axis=0, dtype=np.float64)
                total.write(first + 1, added)
                before = added[-1]

        return _kept(beside(self.place, ".summed.npy"), self.frames + 1, fill)

    @cached_property
    def tonal(self) -> NDArray[np.float32]:
        """How much of each bin is tone rather than noise or stroke, 0 to 1 ``[frames, BINS]``.

        By medians along time and along frequency (Fitzgerald, "Harmonic/percussive separation
        using median filtering", DAFx 2010), as a soft mask.
        """
        from scipy.ndimage import median_filter

        def fill(found: RowFile) -> None:
            for first, last in _chunks(self.frames):
                # With as many frames around as the median looks at.
                low, high = max(0, first - MEDIAN), min(self.frames, last + MEDIAN)
                here = self.magnitude[low:high]
                along_time = median_filter(here, size=(MEDIAN, 1)) ** 2
                along_frequency = median_filter(here, size=(1, MEDIAN)) ** 2
                fraction = along_time / (along_time + 3.0 * along_frequency + 1e-20)
                found.write(first, fraction[first - low : last - low])

        return _kept(beside(self.place, ".tonal.npy"), self.frames, fill)


def _kept(path: Path | None, rows: int, fill: Callable[[RowFile], None]) -> NDArray[np.float32]:
    """An array ``[rows, BINS]``: filled in memory or, once, in a file that is mapped."""
    if path is not None and path.exists():
        return mapped(path)
    try:
        with RowFile(path, rows, BINS) as made:
            fill(made)
    except OSError:
        # Where there is no room on the disk, memory has to do.
        return _kept(None, rows, fill)
    return made.array


def _chunks(frames: int) -> Iterator[tuple[int, int]]:
    """Stretches of frames that are worked on at a time, so that memory stays small."""
    for first in range(0, frames, CHUNK):
        yield first, min(frames, first + CHUNK)


def analyse(recording: Recording) -> Analysis:
    """The analysis of both channels of a recording together; of a long one, kept on disk."""
    try:
        return _analysed(recording, recording.place)
    except OSError:
        # Where there is no room on the disk, memory has to do.
        return _analysed(recording, None)


def _analysed(recording: Recording, place: Path | None) -> Analysis:
    heard = recording.samples[:, : int(LONGEST * recording.rate)]
    count = max(1, heard.shape[1] // HOP + 1)
    places = [beside(place, f".{name}.npy") for name in ("magnitude", "frequency")]
    found = [mapped(path) for path in places if path is not None and path.exists()]
    if len(found) < len(places):
        magnitude, frequency = (RowFile(path, count, BINS) for path in places)
        with magnitude, frequency:
            for first, last in _chunks(count):
                here, turned = _spectra(heard, first, last)
                magnitude.write(first, np.abs(here) * np.float32(2.0 / WINDOW.sum()))
                frequency.write(first, turned)
        found = [magnitude.array, frequency.array]
    return Analysis(found[0], found[1], recording.rate, place)


def _spectra(
    samples: NDArray[np.float32], first: int, last: int
) -> tuple[NDArray[np.complex64], NDArray[np.float32]]:
    """The spectra of some frames, and the frequency that each bin turns with, in bins."""
    begin, size = first * HOP - SIZE // 2, (last - first - 1) * HOP + SIZE + 1
    padded = stretch(samples, begin, size).astype(np.float32)
    windows = np.lib.stride_tricks.sliding_window_view(padded, SIZE)

    def spectra(shift: int) -> NDArray[np.complex64]:
        frames = windows[np.arange(last - first) * HOP + shift]
        rotated = fourier.ifftshift(frames * WINDOW, axes=1)
        found: NDArray[np.complex64] = fourier.rfft(rotated, axis=1).astype(np.complex64)
        return found

    here, later = spectra(0), spectra(1)
    # One sample later, each bin's phase has turned by its frequency.
    step = np.angle(later * np.conj(here)).astype(np.float32)
    turned = step * np.float32(SIZE / (2.0 * np.pi))
    bins = np.arange(BINS, dtype=np.float32)
    return here, np.maximum(np.clip(turned, bins - 2.0, bins + 2.0), 0.0)


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
