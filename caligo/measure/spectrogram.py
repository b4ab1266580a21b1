"""Spectrogram columns on a logarithmic frequency axis, with long windows for lows."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy.sparse
from numpy.typing import NDArray

from caligo.signal import fourier

LOWEST, HIGHEST = 27.5, 16_000.0
"""Hertz at the lower edge of the first row and the upper edge of the last."""
ROWS = 224
FLOOR = -96.0
"""Decibels under a full-scale sine that the byte 0 stands for; 255 stands for 0 dB."""
WINDOWS = ((500.0, 16_384), (3_000.0, 4_096), (np.inf, 1_024))
"""Up to which frequency in Hz a window of so many samples (at 48 kHz) is used."""

Column = NDArray[np.uint8]
Spectra = list[list[NDArray[np.complex64]]]
"""By window, the spectra of left and right as the parts of one complex signal, at one moment or at
several."""


def row_edges() -> NDArray[np.float64]:
    """Frequencies between the rows in Hz ``[ROWS + 1]``."""
    found: NDArray[np.float64] = np.geomspace(LOWEST, HIGHEST, ROWS + 1)
    return found


def _window_size(size: int, rate: int) -> int:
    return size * 2 if rate > 64_000 else size


@dataclass(frozen=True, slots=True)
class _Bands:
    """How the bins of one window size add up to the rows that it serves.

    Parameters
    ----------
    rows, bins
        The rows and the bins concerned, as slices; `weights` ``[rows, bins]`` joins them. It is
        sparse also since a dense product would leave threads of the algebra library waiting on
        a core that rendering needs.
    mirrored
        The bins of the same frequencies below zero ``[bins]``.
    """

    window: NDArray[np.float32]
    rows: slice
    bins: slice
    mirrored: NDArray[np.int64]
    weights: scipy.sparse.csr_array


@lru_cache(maxsize=32)
def _bands(size: int, rate: int, below: float, limit: float) -> _Bands:
    """The bands of a window of `size` samples for the rows from `below` to `limit` Hz.

    A row narrower than the window's main lobe takes the powers next to its centre.
    """
    window = np.hanning(size + 1)[:size].astype(np.float32)
    edges = row_edges()
    centres = np.sqrt(edges[:-1] * edges[1:])
    rows = np.flatnonzero((centres >= below) & (centres < limit))
    spacing = rate / size
    hertz = np.arange(size // 2) * spacing
    weights = np.zeros((len(rows), size // 2))
    for i, row in enumerate(rows):
        low, high = edges[row], edges[row + 1]
        if high - low < 2.0 * spacing:
            # A triangle one bin to each side keeps a tone's level between bins; the factor makes
            # up for the window's lobe, whose peak alone this reads.
            distance = np.abs(hertz - 0.5 * (low + high)) / spacing
            weights[i] = 1.5 * np.clip(1.0 - distance, 0.0, 1.0)
        else:
            inside = np.minimum(hertz + 0.5 * spacing, high) - np.maximum(
                hertz - 0.5 * spacing, low
            )
            weights[i] = np.clip(inside, 0.0, spacing) / spacing
    # Power of a full-scale sine under a Hann window: (N/4)^2 at its bin, 1.5 times that summed.
    # Left and right share a complex spectrum, where both signs of a frequency make up its power:
    # a quarter of their sum is the channels' mean.
    weights *= 0.25 / (1.5 * (size / 4.0) ** 2)
    weights[:, 0] *= 0.5  # zero is its own mirror
    used = np.flatnonzero(weights.any(axis=0))
    bins = slice(int(used[0]), int(used[-1]) + 1)
    return _Bands(
        window,
        slice(int(rows[0]), int(rows[-1]) + 1),
        bins,
        -np.arange(bins.start, bins.stop),
        scipy.sparse.csr_array(weights[:, bins].astype(np.float32)),
    )


def longest_window(rate: int) -> int:
    """Samples that a column looks at."""
    return _window_size(WINDOWS[0][1], rate)


def _spectrum(
    signal: NDArray[np.float32], at: int, window: NDArray[np.float32]
) -> NDArray[np.complex64]:
    """The spectrum of a window that begins at sample `at`, left and right as one signal."""
    size = len(window)
    piece = signal[:, at : at + size]
    both = np.empty(size, np.complex64)
    np.multiply(piece[0], window, out=both.real)
    np.multiply(piece[1], window, out=both.imag)
    found: NDArray[np.complex64] = fourier.fft(both, overwrite_x=True)
    return found


def _powers(spectrum: NDArray[np.complex64], bands: _Bands) -> NDArray[np.float64]:
    """The powers in a band's rows: those at +f and -f add up to both channels'."""
    above, under = spectrum[bands.bins], spectrum[bands.mirrored]
    powers = above.real**2 + above.imag**2 + under.real**2 + under.imag**2
    found: NDArray[np.float64] = (bands.weights @ powers).astype(np.float64)
    return found


def _bands_of(sizes: Iterable[int], rate: int) -> list[_Bands]:
    """The bands of all rows, with windows of these sizes."""
    found, below = [], 0.0
    for (limit, _), size in zip(WINDOWS, sizes, strict=True):
        found.append(_bands(size, rate, below, limit))
        below = limit
    return found


def _bands_for(samples: int, rate: int) -> list[_Bands]:
    """The bands of all rows, with windows no longer than a signal."""
    sizes = []
    for _, nominal in WINDOWS:
        size = _window_size(nominal, rate)
        while size > samples:
            size //= 2
        sizes.append(size)
    return _bands_of(sizes, rate)


def spectra_around(signal: NDArray[np.float32], rate: int) -> Spectra:
    """The spectra of `signal` ``[2, samples]`` around its middle."""
    middle = signal.shape[1] // 2
    return [
        [_spectrum(signal, middle - len(bands.window) // 2, bands.window)]
        for bands in _bands_for(signal.shape[1], rate)
    ]


def spectra_for_end(signal: NDArray[np.float32], rate: int) -> Spectra:
    """The spectra of `signal` ``[2, samples]``, with short windows over its second half.

    What comes out of effects there is more complete, where a signal begins in their middle.
    """
    samples, found = signal.shape[1], []
    for bands in _bands_for(samples, rate):
        size = len(bands.window)
        starts = range(min(samples // 2, samples - size), samples - size + 1, max(size // 2, 1024))
        found.append([_spectrum(signal, at, bands.window) for at in starts])
    return found


def levels_of(spectra: Spectra, rate: int) -> Column:
    """The levels ``[ROWS]`` that spectra give.

    Of several moments it is the mean in decibels, what many columns look like from afar, not that
    of their powers.
    """
    decibels = np.zeros(ROWS)
    sizes = [len(moments[0]) for moments in spectra]
    for bands, moments in zip(_bands_of(sizes, rate), spectra, strict=True):
        powers = [np.maximum(_powers(spectrum, bands), 1e-12) for spectrum in moments]
        decibels[bands.rows] = 10.0 * np.mean(np.log10(powers), axis=0)
    found: Column = np.clip((decibels / -FLOOR + 1.0) * 255.0, 0.0, 255.0).astype(np.uint8)
    return found


def column(signal: NDArray[np.float32], rate: int) -> Column:
    """The levels of one column ``[ROWS]`` from `signal` ``[2, samples]`` around its middle.

    The signal may be shorter than the longest window; lows are then less sharp.
    """
    return levels_of(spectra_around(signal, rate), rate)


class SpectrogramStream:
    """Columns of a signal that arrives in pieces; column i lies at the time ``(i + 1/2) · hop``.

    Parameters
    ----------
    also
        What else is made of the spectra of every column, if anything; it is given them and the
        rate. It is gathered in `made`.
    """

    def __init__(
        self,
        rate: int,
        hop: float,
        also: Callable[[Spectra, int], NDArray[np.uint8]] | None = None,
    ) -> None:
        self.rate = rate
        self.hop = hop
        self.made: list[NDArray[np.uint8]] = []
        self._also = also
        self._reach = longest_window(rate) // 2
        self._held = np.zeros((2, self._reach), np.float32)
        self._first = -self._reach
        self._next = 0

    def begin(self, before: int) -> None:
        """Let the first piece begin so many samples before the time 0; at most half a window."""
        self._first = -before
        self._held = np.zeros((2, 0), np.float32)
        missing = self._reach - before
        if missing > 0:
            self._held, self._first = np.zeros((2, missing), np.float32), -self._reach

    def _centre(self, index: int) -> int:
        return round((index + 0.5) * self.hop * self.rate)

    def add(self, signal: NDArray[np.float32]) -> list[Column]:
        """Take in `signal` ``[2, samples]`` and return the columns that it completes."""
        self._held = np.concatenate([self._held, signal], axis=1)
        columns: list[Column] = []
        while True:
            low = self._centre(self._next) - self._reach - self._first
            if low + 2 * self._reach > self._held.shape[1]:
                break
            spectra = spectra_around(self._held[:, low : low + 2 * self._reach], self.rate)
            columns.append(levels_of(spectra, self.rate))
            if self._also is not None:
                self.made.append(self._also(spectra, self.rate))
            self._next += 1
        keep = max(0, self._centre(self._next) - self._reach - self._first)
        keep = min(keep, self._held.shape[1])
        self._held = self._held[:, keep:]
        self._first += keep
        return columns

    def finish(self) -> list[Column]:
        """The columns ``[ROWS]`` that still wait for what comes after the end, which is silence."""
        return self.add(np.zeros((2, self._reach), np.float32))
