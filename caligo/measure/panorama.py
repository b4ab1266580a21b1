"""Where in the panorama a sound lies, and how its channels agree, octave by octave."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import kernel
from caligo.measure.spectrogram import FLOOR, WINDOWS, Spectra, rate_of

PLACES = 33
"""Places from left to right."""
CENTRES = (31.5, 63.0, 125.0, 250.0, 500.0, 1_000.0, 2_000.0, 4_000.0, 8_000.0, 16_000.0)
"""The middle of each octave in Hz (nominal, IEC 61260-1:2014, table E.1)."""
OCTAVES = len(CENTRES)
IMAGE = PLACES + 3 * OCTAVES
"""Bytes of an image: levels by place from left to right, then by octave levels, widths and
correlations."""
LEAST = 1e-12
ALONE = 1e-5
"""How much weaker in power a channel is that counts as silent: rounding would decide otherwise."""

Image = NDArray[np.uint8]


@kernel("c8[::1], i8[::1], i8, f8, f8[:, ::1], f8[::1]")
def add_channels(
    spectrum: np.ndarray,
    octave: np.ndarray,
    first: int,
    scale: float,
    channels: np.ndarray,
    places: np.ndarray,
) -> None:
    """Add what bins hold on either channel.

    Parameters
    ----------
    spectrum
        Of left and right as the parts of one complex signal ``[samples]``.
    octave
        The octave of each bin from `first` on ``[bins]``.
    scale
        Brings the bins' powers to that of a full-scale sine.
    channels
        By octave the power of left and right, and what they have in common ``[3, octaves]``.
    places
        The power at each place from left to right ``[places]``. A place is an angle of the
        equal-power pan: atan(right / left), from none to a quarter turn.
    """
    size = len(spectrum)
    last = len(places) - 1
    for i in range(len(octave)):
        k = first + i
        above, under = spectrum[k], spectrum[size - k]
        # Z = L + iR, so that L = (Z(k) + Z*(-k)) / 2 and R = (Z(k) - Z*(-k)) / 2i.
        powers = 0.25 * (
            above.real * above.real
            + above.imag * above.imag
            + under.real * under.real
            + under.imag * under.imag
        )
        apart = 0.5 * (above.real * under.real - above.imag * under.imag)
        left = max(0.0, (powers + apart) * scale)
        right = max(0.0, (powers - apart) * scale)
        o = octave[i]
        channels[0, o] += left
        channels[1, o] += right
        channels[2, o] += 0.5 * scale * (above.real * under.imag + above.imag * under.real)
        place = math.atan2(math.sqrt(right), math.sqrt(left)) * (2.0 / math.pi) * last
        at = min(int(place), last - 1)
        places[at] += 0.5 * (left + right) * (1.0 - (place - at))
        places[at + 1] += 0.5 * (left + right) * (place - at)


@lru_cache(maxsize=32)
def _octaves(window: int, size: int, rate: int) -> tuple[int, NDArray[np.int64]]:
    """The first bin that one of `WINDOWS` serves, and each one's octave ``[bins]``.

    An octave belongs to the window that serves its middle.
    """
    below = WINDOWS[window - 1][0] if window else 0.0
    served = [o for o, hertz in enumerate(CENTRES) if below <= hertz < WINDOWS[window][0]]
    bins = np.arange(1, size // 2)
    # Exact middles lie an octave apart around 1 kHz (IEC 61260-1:2014, equation 2).
    octave = (
        np.round(np.log2(bins * (rate_of(window, rate) / size) / 1_000.0)).astype(np.int64)
        + OCTAVES
        - 5
    )
    among = np.flatnonzero((octave >= served[0]) & (octave <= served[-1]))
    return int(bins[among[0]]), octave[among]


def _as_bytes(power: NDArray[np.float64]) -> NDArray[np.float64]:
    return (10.0 * np.log10(np.maximum(power, LEAST)) / -FLOOR + 1.0) * 255.0


def image_of(spectra: Spectra, rate: int) -> Image:
    """The image ``[IMAGE]`` that a moment's spectra give.

    Levels are as those of `caligo.measure.spectrogram`; a width of 255 stands for 2, opposite
    channels, and a correlation of 0, 255 for -1, 1. Silence counts as mono.

    Parameters
    ----------
    spectra
        See `caligo.measure.spectrogram.Spectra`; powers of several moments are averaged.
    """
    channels, places = np.zeros((3, OCTAVES)), np.zeros(PLACES)
    for window, moments in enumerate(spectra):
        size = len(moments[0])
        first, octave = _octaves(window, size, rate)
        scale = 1.0 / (1.5 * (size / 4.0) ** 2 * len(moments))
        for spectrum in moments:
            add_channels(spectrum, octave, first, scale, channels, places)
    left, right, common = channels
    both = left + right
    heard = both > LEAST
    width = np.where(heard, (both - 2.0 * common) / np.maximum(both, LEAST), 0.0)
    # One side alone has nothing in common with the other, and nothing against it.
    alone = np.minimum(left, right) < ALONE * np.maximum(left, right)
    root = np.sqrt(np.maximum(left * right, LEAST * LEAST))
    correlation = np.where(heard, np.where(alone, 0.0, common / root), 1.0)
    found = np.concatenate(
        [_as_bytes(places), _as_bytes(0.5 * both), 127.5 * width, 127.5 * (correlation + 1.0)]
    )
    image: Image = np.clip(np.round(found), 0.0, 255.0).astype(np.uint8)
    return image


def widths(images: Sequence[Image]) -> NDArray[np.float64]:
    """The width of each octave ``[images, OCTAVES]``: 0 mono, 1 unrelated, 2 opposite channels."""
    found = np.array(images, np.float64).reshape(-1, IMAGE)
    return found[:, PLACES + OCTAVES : PLACES + 2 * OCTAVES] / 127.5


def correlations(images: Sequence[Image]) -> NDArray[np.float64]:
    """The correlation of left and right in each octave ``[images, OCTAVES]``, -1 to 1."""
    found = np.array(images, np.float64).reshape(-1, IMAGE)
    return found[:, PLACES + 2 * OCTAVES :] / 127.5 - 1.0
