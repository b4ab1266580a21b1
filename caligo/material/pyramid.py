"""Copies of a recording at falling sample rates, so that it can be read faster without folding."""

from __future__ import annotations

import math

import numpy as np
import soxr
from numpy.typing import NDArray

MOST = 14
"""Half octaves of copies: a recording may be read 128 times as fast."""
PAD = 16
"""Silent samples on either side, so that interpolation never reads outside."""


class Pyramid:
    """A recording, and copies of it each half an octave lower in sample rate.

    Attributes
    ----------
    flat
        All copies one after the other ``[channels, samples]``, each with `PAD` on both sides.
    starts, ratios
        Where in `flat` each copy's first sample lies, and its samples per sample of the
        original ``[levels]``.
    """

    def __init__(self, samples: NDArray[np.float32], fastest: float = 2.0 ** (MOST / 2)) -> None:
        count = 1 + min(MOST, max(0, math.ceil(2.0 * math.log2(max(fastest, 1.0)))))
        copies, ratios = [], []
        for level in range(count):
            ratio = 2.0 ** (-level / 2.0)
            copy = samples if level == 0 else _resampled(samples, ratio)
            copies.append(np.pad(copy, ((0, 0), (PAD, PAD))))
            ratios.append(ratio)
        lengths = [copy.shape[1] for copy in copies]
        self.flat: NDArray[np.float32] = np.ascontiguousarray(np.concatenate(copies, axis=1))
        self.starts: NDArray[np.int64] = np.cumsum([0, *lengths[:-1]]).astype(np.int64) + PAD
        self.ratios: NDArray[np.float64] = np.array(ratios)
        self.frames = samples.shape[1]


def _resampled(samples: NDArray[np.float32], ratio: float) -> NDArray[np.float32]:
    """A copy at `ratio` times the sample rate, through the resampler's best filter."""
    out = soxr.resample(samples.T, 48_000.0, 48_000.0 * ratio, quality="HQ")
    found: NDArray[np.float32] = np.ascontiguousarray(out.T, dtype=np.float32)
    return found
