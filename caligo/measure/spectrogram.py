"""Spectrogram columns on a logarithmic frequency axis, with long windows for lows.

Below 120 Hz the window lasts 1.4 s, so that a row there is as wide as the window tells apart; it
looks at a signal of a sixteenth of the rate.
"""

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
SLOW = 16
"""By how much the rate is divided for the lowest rows, at 48 kHz."""
WINDOWS = ((120.0, 4_096), (500.0, 16_384), (3_000.0, 4_096), (np.inf, 1_024))
"""Up to which frequency in Hz a window of so many samples is used: of the first at the divided
rate, of the others at 48 kHz. A row is more than a bin wide."""
HALF_BIN = (np.sinc(np.arange(-4, 4) + 0.5) * np.kaiser(17, 3.0)[1::2]).astype(np.float32)
"""Taps between two bins of a spectrum about the middle of its window (J. O. Smith, *Spectral Audio
Signal Processing*, "Ideal spectral interpolation"; from memory), 0.04 dB off."""

Column = NDArray[np.uint8]
Spectra = list[list[NDArray[np.complex64]]]
"""By window, the spectra of left and right as the parts of one complex signal, at one moment or at
several."""


def row_edges() -> NDArray[np.float64]:
    """Frequencies between the rows in Hz ``[ROWS + 1]``."""
    found: NDArray[np.float64] = np.geomspace(LOWEST, HIGHEST, ROWS + 1)
    return found


def _decimation(rate: int) -> int:
    return SLOW * 2 if rate > 64_000 else SLOW


def rate_of(window: int, rate: int) -> float:
    """The rate of the signal at which the window of that index looks."""
    return rate if window else rate / _decimation(rate)


def _window_size(window: int, rate: int) -> int:
    size = WINDOWS[window][1]
    return size * 2 if window and rate > 64_000 else size


@lru_cache(maxsize=2)
def _slow_taps(decimation: int) -> NDArray[np.float32]:
    """A low-pass of `6 * decimation + 1` taps.

    What would fold onto the lowest rows lies 80 dB lower.
    """
    at = np.arange(-3 * decimation, 3 * decimation + 1)
    taps = np.sinc(at / decimation) * np.kaiser(len(at), 8.0)
    found: NDArray[np.float32] = (taps / taps.sum()).astype(np.float32)
    return found


class _Divider:
    """The lows of a signal ``[2, samples]`` that comes in pieces, at the divided rate.

    Sample m lies at `decimation` times m and is there once `margin` samples behind it are.
    """

    def __init__(self, rate: int) -> None:
        self.decimation = _decimation(rate)
        self._taps = _slow_taps(self.decimation)
        self.margin = len(self._taps) // 2
        self._held = np.zeros((2, self.margin), np.float32)

    def add(self, signal: NDArray[np.float32]) -> NDArray[np.float32]:
        """Take in a piece and return the samples that it completes."""
        held = np.concatenate([self._held, signal], axis=1)
        count = max(0, (held.shape[1] - len(self._taps)) // self.decimation + 1)
        self._held = held[:, count * self.decimation :]
        if not count:
            return held[:, :0]
        frames = np.lib.stride_tricks.sliding_window_view(held, len(self._taps), axis=1)
        slow: NDArray[np.float32] = np.einsum(
            "csk,k->cs", frames[:, :: self.decimation][:, :count], self._taps
        )
        return slow

    def add_last(self, signal: NDArray[np.float32]) -> NDArray[np.float32]:
        """The same where silence follows the piece."""
        silence = np.zeros((2, self.margin), np.float32)
        return self.add(np.concatenate([signal, silence], axis=1))


@dataclass(frozen=True, slots=True)
class _Bands:
    """How the bins of one window size add up to the rows that it serves.

    Parameters
    ----------
    rows, bins
        The rows and the bins concerned, as slices; `weights` ``[rows, half bins]`` joins them, from
        the first bin on. It is sparse also since a dense product would leave threads of the algebra
        library waiting on a core that rendering needs.
    around
        The bins from which those between two are made, as many more on either side as that takes
        ``[bins + 7]``; `mirrored` are those of the same frequencies below zero.
    signs
        Put the time 0 in the middle of the window ``[bins + 7]``.
    """

    window: NDArray[np.float32]
    rows: slice
    around: NDArray[np.int64]
    mirrored: NDArray[np.int64]
    signs: NDArray[np.float32]
    weights: scipy.sparse.csr_array


@lru_cache(maxsize=32)
def _bands(size: int, rate: float, below: float, limit: float) -> _Bands:
    """The bands of a window of `size` samples for the rows from `below` to `limit` Hz.

    A row adds up what lies in it of a power spectrum at every half bin, which holds all that the
    window tells. Of a tone in the middle of a narrow row a part falls beside it, while noise gives
    the row no more than its due: what is added to both shares the difference, 1 dB each at most.
    """
    window = np.hanning(size + 1)[:size].astype(np.float32)
    edges = row_edges()
    centres = np.sqrt(edges[:-1] * edges[1:])
    rows = np.flatnonzero((centres >= below) & (centres < limit))
    half = 0.5 * rate / size
    first = max(0, int(edges[rows[0]] / (2.0 * half)) - 1)
    count = min(int(edges[rows[-1] + 1] / (2.0 * half)) + 2, size // 2 - 5) - first
    hertz = (2 * first + np.arange(2 * count)) * half
    low, high = edges[rows][:, None], edges[rows + 1][:, None]
    inside = np.minimum(hertz + 0.5 * half, high) - np.maximum(hertz - 0.5 * half, low)
    weights = np.clip(inside, 0.0, half) / half
    # The lobe of a Hann window by the distance in bins (F. J. Harris, "On the use of windows for
    # harmonic analysis", 1978, equation 28b; from memory). Its power over half bins adds up to 3.
    distance = (hertz - 0.5 * (low + high)) / (2.0 * half)
    lobe = np.sinc(distance) + 0.5 * (np.sinc(distance - 1.0) + np.sinc(distance + 1.0))
    tone = (weights * lobe**2).sum(axis=1) / 3.0
    weights /= tone[:, None] ** 0.55
    # Power of a full-scale sine under a Hann window: (N/4)^2 at its bin, 1.5 times that summed, and
    # twice that over half bins. Left and right share a complex spectrum, where both signs of a
    # frequency make up its power: a quarter of their sum is the channels' mean.
    weights *= 0.25 / (3.0 * (size / 4.0) ** 2)
    around = np.arange(first - 3, first + count + 4)
    return _Bands(
        window,
        slice(int(rows[0]), int(rows[-1]) + 1),
        around,
        -around,
        np.where(around % 2, -1.0, 1.0).astype(np.float32),
        scipy.sparse.csr_array(weights.astype(np.float32)),
    )


def longest_window(rate: int) -> int:
    """Samples that a column looks at."""
    return WINDOWS[0][1] * _decimation(rate)


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


def _half_bin_powers(
    spectrum: NDArray[np.complex64], bins: NDArray[np.int64], bands: _Bands
) -> NDArray[np.float64]:
    """The powers at bins and between them ``[half bins]``."""
    near = spectrum[bins] * bands.signs
    between = np.convolve(near, HALF_BIN, "valid")
    found = np.empty(2 * len(between))
    found[::2] = np.abs(near[3 : 3 + len(between)]) ** 2
    found[1::2] = np.abs(between) ** 2
    return found


def _powers(spectrum: NDArray[np.complex64], bands: _Bands) -> NDArray[np.float64]:
    """The powers in a band's rows: those at +f and -f add up to both channels'."""
    powers = _half_bin_powers(spectrum, bands.around, bands)
    powers += _half_bin_powers(spectrum, bands.mirrored, bands)
    found: NDArray[np.float64] = bands.weights @ powers
    return found


def _bands_of(sizes: Iterable[int], rate: int) -> list[_Bands]:
    """The bands of all rows, with windows of these sizes."""
    found, below = [], 0.0
    for window, ((limit, _), size) in enumerate(zip(WINDOWS, sizes, strict=True)):
        found.append(_bands(size, rate_of(window, rate), below, limit))
        below = limit
    return found


def _bands_for(samples: int, rate: int) -> list[_Bands]:
    """The bands of all rows, with windows no longer than a signal."""
    sizes = []
    for window in range(len(WINDOWS)):
        size = _window_size(window, rate)
        while size * rate > samples * rate_of(window, rate):
            size //= 2
        sizes.append(size)
    return _bands_of(sizes, rate)


def _both(signal: NDArray[np.float32], rate: int) -> list[NDArray[np.float32]]:
    """What each window looks at."""
    return [_Divider(rate).add_last(signal), *[signal] * (len(WINDOWS) - 1)]


def spectra_around(signal: NDArray[np.float32], rate: int) -> Spectra:
    """The spectra of `signal` ``[2, samples]`` around its middle."""
    return [
        [_spectrum(part, (part.shape[1] - len(bands.window)) // 2, bands.window)]
        for part, bands in zip(_both(signal, rate), _bands_for(signal.shape[1], rate), strict=True)
    ]


def spectra_for_end(signal: NDArray[np.float32], rate: int) -> Spectra:
    """The spectra of `signal` ``[2, samples]``, with short windows over its second half.

    What comes out of effects there is more complete, where a signal begins in their middle.
    """
    found = []
    for part, bands in zip(_both(signal, rate), _bands_for(signal.shape[1], rate), strict=True):
        samples, size = part.shape[1], len(bands.window)
        starts = range(min(samples // 2, samples - size), samples - size + 1, max(size // 2, 1024))
        found.append([_spectrum(part, at, bands.window) for at in starts])
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
    levels = np.round((decibels / -FLOOR + 1.0) * 255.0)
    found: Column = np.clip(levels, 0.0, 255.0).astype(np.uint8)
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
        self._bands = _bands_for(2 * self._reach, rate)
        self._next = 0
        self.begin(0)

    def begin(self, before: int) -> None:
        """Let the first piece begin so many samples before the time 0; at most half a window."""
        self._first = self._first_slow = -self._reach
        self._held = np.zeros((2, self._reach - before), np.float32)
        self._divider = _Divider(self.rate)
        self._slow = self._divider.add(self._held)

    def _centre(self, index: int) -> int:
        return round((index + 0.5) * self.hop * self.rate)

    def _spectra(self, centre: int) -> Spectra:
        """The spectra around a sample from the time 0 on."""
        found = []
        for window, bands in enumerate(self._bands):
            if window:
                signal, at = self._held, centre - self._first
            else:
                signal = self._slow
                at = round((centre - self._first_slow) / self._divider.decimation)
            found.append([_spectrum(signal, at - len(bands.window) // 2, bands.window)])
        return found

    def add(self, signal: NDArray[np.float32]) -> list[Column]:
        """Take in `signal` ``[2, samples]`` and return the columns that it completes."""
        decimation = self._divider.decimation
        self._held = np.concatenate([self._held, signal], axis=1)
        self._slow = np.concatenate([self._slow, self._divider.add(signal)], axis=1)
        columns: list[Column] = []
        while True:
            centre = self._centre(self._next)
            ready = self._first + self._held.shape[1] - self._divider.margin - decimation
            if centre + self._reach > ready:
                break
            spectra = self._spectra(centre)
            columns.append(levels_of(spectra, self.rate))
            if self._also is not None:
                self.made.append(self._also(spectra, self.rate))
            self._next += 1
        keep = self._centre(self._next) - self._reach
        past = min(max(0, keep - self._first), self._held.shape[1])
        self._held, self._first = self._held[:, past:], self._first + past
        past = min(max(0, (keep - self._first_slow) // decimation), self._slow.shape[1])
        self._slow, self._first_slow = self._slow[:, past:], self._first_slow + past * decimation
        return columns

    def finish(self) -> list[Column]:
        """The columns ``[ROWS]`` that still wait for what comes after the end.

        The signal is turned back there: where it is cut off, silence would splash over all rows of
        the last columns.
        """
        wait = self._reach + self._divider.margin + 2 * self._divider.decimation
        back = self._held[:, -wait:][:, ::-1]
        silence = np.zeros((2, wait - back.shape[1]), np.float32)
        return self.add(np.concatenate([back, silence], axis=1))
