"""Copies of a recording at falling sample rates, so that it can be read faster without folding."""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from caligo.material.long import ArrayFile, mapped, pieces

QUARTERS = 4
"""Copies a quarter of an octave apart, where what a copy lacks would be heard; the others lie half
an octave apart."""
MOST = 16
"""Copies besides the recording itself: it may be read 128 times as fast."""
PAD = 32
"""Silent samples on either side, so that interpolation never reads outside."""


def _octaves_down(copy: int) -> float:
    """How far the rate of a copy lies below the recording's."""
    return copy / 4.0 if copy <= QUARTERS else (copy - QUARTERS) / 2.0 + QUARTERS / 4.0


class Pyramid:
    """A recording, and copies of it at falling sample rates.

    Attributes
    ----------
    flat
        All copies one after the other ``[channels, samples]``, each with `PAD` on both sides.
    starts, ratios
        Where in `flat` each copy's first sample lies, and its samples per sample of the
        original ``[levels]``.

    Parameters
    ----------
    path
        Where the copies of a long recording are kept; those that lie there are used. Without it
        they are made in memory.
    """

    def __init__(
        self,
        samples: NDArray[np.float32],
        fastest: float = 2.0 ** _octaves_down(MOST),
        path: Path | None = None,
    ) -> None:
        down = np.array([_octaves_down(copy) for copy in range(MOST + 1)])
        count = 1 + int(np.searchsorted(down[:-1], math.log2(max(fastest, 1.0))))
        self.ratios: NDArray[np.float64] = 2.0 ** -down[:count]
        self.frames = samples.shape[1]
        if path is None:
            copies = [
                np.pad(_resampled(samples, ratio), ((0, 0), (PAD, PAD))) for ratio in self.ratios
            ]
            lengths = [copy.shape[1] for copy in copies]
            self.flat: NDArray[np.float32] = np.ascontiguousarray(np.concatenate(copies, axis=1))
        else:
            lengths = [_length(self.frames, ratio) + 2 * PAD for ratio in self.ratios]
            if not path.exists():
                _write(samples, self.ratios, lengths, path)
            self.flat = mapped(path)
        self.starts: NDArray[np.int64] = np.cumsum([0, *lengths[:-1]]).astype(np.int64) + PAD


def _resampled(samples: NDArray[np.float32], ratio: float) -> NDArray[np.float32]:
    """A copy at `ratio` times the sample rate, through the resampler's best filter."""
    if ratio == 1.0:
        return samples
    out = soxr.resample(samples.T, 48_000.0, 48_000.0 * ratio, quality="HQ")
    found: NDArray[np.float32] = np.ascontiguousarray(out.T, dtype=np.float32)
    return found


def _length(frames: int, ratio: float) -> int:
    """Frames of a copy of a long recording."""
    return math.ceil(frames * ratio)


def _resampled_pieces(samples: NDArray[np.float32], ratio: float) -> Iterator[NDArray[np.float32]]:
    """What `_resampled` gives, piece by piece."""
    if ratio == 1.0:
        for _, piece in pieces(samples):
            yield piece
        return
    stream = soxr.ResampleStream(
        48_000.0, 48_000.0 * ratio, len(samples), dtype="float32", quality="HQ"
    )
    for at, piece in pieces(samples):
        last = at + piece.shape[1] == samples.shape[1]
        out = stream.resample_chunk(np.ascontiguousarray(piece.T), last=last)
        yield np.ascontiguousarray(out.T)


def _write(
    samples: NDArray[np.float32], ratios: NDArray[np.float64], lengths: list[int], path: Path
) -> None:
    """The copies of a long recording in a file; what is not written of them is silent."""
    with ArrayFile(path, len(samples), sum(lengths)) as file:
        begin = 0
        for ratio, length in zip(ratios, lengths, strict=True):
            at = begin + PAD
            for piece in _resampled_pieces(samples, float(ratio)):
                inside = piece[:, : begin + length - PAD - at]
                file.write(at, inside)
                at += inside.shape[1]
            begin += length
