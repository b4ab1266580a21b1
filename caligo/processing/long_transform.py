"""Long Fourier transforms from eight short ones, which the library makes side by side.

A transform alone cannot use vector instructions well; eight of equal length can, each in its lane.
A line of samples is taken apart into eight, each of every eighth sample; their transforms are
turned by their place and added up by eights (J. W. Cooley and J. W. Tukey, "An algorithm for the
machine calculation of complex Fourier series", Mathematics of Computation 19, 1965, radix eight in
time; the eights by three stages of two, W. M. Gentleman and G. Sande 1966).

Bins are left in the order that comes of it, eight rows of half as many as a short transform has;
what is behind a row's last is left as it is. Spectra are only multiplied bin by bin here, and go
back in the same order.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import kernel
from caligo.processing.processor import Signal
from caligo.signal import fourier
from caligo.signal.vector import WIDTH, load, store

RADIX = 8
HALF = math.sqrt(0.5)
STAGES = np.array(
    [
        (0, 4, 1.0, 0.0), (1, 5, HALF, HALF), (2, 6, 0.0, 1.0), (3, 7, -HALF, HALF),
        (0, 2, 1.0, 0.0), (1, 3, 0.0, 1.0), (4, 6, 1.0, 0.0), (5, 7, 0.0, 1.0),
        (0, 1, 1.0, 0.0), (2, 3, 1.0, 0.0), (4, 5, 1.0, 0.0), (6, 7, 1.0, 0.0),
    ],
    np.float32,
)  # fmt: skip
"""Pairs of ways that are added and subtracted, and by which cosine and sine the difference is
turned back ``[12, 4]``."""


def bins_of(size: int) -> int:
    """Bins of a way of `size` samples, up to a whole number of vectors."""
    return -(-(size // 2 + 1) // WIDTH) * WIDTH


@cache
def _turns(size: int) -> NDArray[np.float32]:
    """Cosine and sine by which each bin is turned ``[2, WAYS, bins / WIDTH, WIDTH]``."""
    angles = np.outer(np.arange(RADIX), np.arange(bins_of(size))) * (2.0 * np.pi / (RADIX * size))
    found = np.stack([np.cos(angles), np.sin(angles)]).astype(np.float32)
    return found.reshape(2, RADIX, -1, WIDTH)


@kernel("f4[:, :, :, ::1], f4[:, :, :, ::1], f4[:, ::1]")
def _join(lines_: np.ndarray, turns: np.ndarray, stages: np.ndarray) -> None:
    """Turn and add up the transforms of eight ways ``[2, WAYS, bins / WIDTH, WIDTH]``, in place."""
    for r in range(1, RADIX):
        real, imaginary, cosines, sines = lines_[0, r], lines_[1, r], turns[0, r], turns[1, r]
        for n in range(len(real)):
            a, b, cosine, sine = load(real, n), load(imaginary, n), load(cosines, n), load(sines, n)
            store(real, n, cosine * a + sine * b)
            store(imaginary, n, cosine * b - sine * a)
    for s in range(len(stages)):
        i, j, cosine, sine = int(stages[s, 0]), int(stages[s, 1]), stages[s, 2], stages[s, 3]
        one, two, three, four = lines_[0, i], lines_[1, i], lines_[0, j], lines_[1, j]
        for n in range(len(one)):
            a, b, d, e = load(one, n), load(two, n), load(three, n), load(four, n)
            store(one, n, a + d)
            store(two, n, b + e)
            store(three, n, cosine * (a - d) + sine * (b - e))
            store(four, n, cosine * (b - e) - sine * (a - d))


@kernel("f4[:, :, :, ::1], f4[:, :, :, ::1], f4[:, ::1]")
def _part(lines_: np.ndarray, turns: np.ndarray, stages: np.ndarray) -> None:
    """The inverse of `_join`, but for a factor of eight."""
    for s in range(len(stages) - 1, -1, -1):
        i, j, cosine, sine = int(stages[s, 0]), int(stages[s, 1]), stages[s, 2], stages[s, 3]
        one, two, three, four = lines_[0, i], lines_[1, i], lines_[0, j], lines_[1, j]
        for n in range(len(one)):
            a, b, d, e = load(one, n), load(two, n), load(three, n), load(four, n)
            f, g = cosine * d - sine * e, cosine * e + sine * d
            store(one, n, a + f)
            store(two, n, b + g)
            store(three, n, a - f)
            store(four, n, b - g)
    for r in range(1, RADIX):
        real, imaginary, cosines, sines = lines_[0, r], lines_[1, r], turns[0, r], turns[1, r]
        for n in range(len(real)):
            a, b, cosine, sine = load(real, n), load(imaginary, n), load(cosines, n), load(sines, n)
            store(real, n, cosine * a - sine * b)
            store(imaginary, n, cosine * b + sine * a)


@kernel("f4[:, :, ::1], f4[:, :, ::1]")
def _take(pairs: np.ndarray, out: np.ndarray) -> None:
    """Real and imaginary parts ``[WAYS, bins, 2]`` into rows of their own ``[2, WAYS, bins]``."""
    for r in range(RADIX):
        given, real, imaginary = pairs[r], out[0, r], out[1, r]
        for k in range(len(given)):
            real[k], imaginary[k] = given[k, 0], given[k, 1]


@kernel("f4[:, :, ::1], f4[:, :, ::1]")
def _give(spectra: np.ndarray, pairs: np.ndarray) -> None:
    """The inverse of `_take`, an eighth as large."""
    fraction = np.float32(1.0 / RADIX)
    for r in range(RADIX):
        real, imaginary, to = spectra[0, r], spectra[1, r], pairs[r]
        for k in range(len(to)):
            to[k, 0], to[k, 1] = fraction * real[k], fraction * imaginary[k]


def in_pairs(spectra: NDArray[np.complex64]) -> NDArray[np.float32]:
    """The same numbers with real and imaginary parts as a last axis ``[..., 2]``."""
    return spectra.view(np.float32).reshape(*spectra.shape, 2)


def forward(apart: Signal, out: Signal) -> None:
    """The spectrum of lines that have been taken apart.

    Parameters
    ----------
    apart
        Every eighth sample of each channel ``[channels, WAYS, size]``.
    out
        Where the spectra go ``[channels, 2, WAYS, bins]``, real before imaginary parts; see
        `bins_of`.
    """
    pairs, turns = in_pairs(fourier.rfft(apart, axis=2)), _turns(apart.shape[2])
    for c in range(len(out)):
        _take(pairs[c], out[c])
        _join(out[c].reshape(turns.shape), turns, STAGES)


def backward(spectra: Signal, size: int) -> Signal:
    """The lines of such spectra, taken apart ``[channels, WAYS, size]``; `spectra` are spoilt."""
    lines_ = np.empty((len(spectra), RADIX, size // 2 + 1), np.complex64)
    pairs, turns = in_pairs(lines_), _turns(size)
    for c in range(len(spectra)):
        _part(spectra[c].reshape(turns.shape), turns, STAGES)
        _give(spectra[c], pairs[c])
    lines: Signal = fourier.irfft(lines_, size, axis=2, overwrite_x=True)
    return lines
