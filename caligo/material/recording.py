"""A recording as sources read it: after its steps, at any speed."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from caligo.material.cards import RecordingCard
from caligo.material.long import ArrayFile, beside, mapped, pieces, powers
from caligo.material.pyramid import Pyramid
from caligo.measure.loudness import LoudnessMeter

MIDDLE_C = 60.0
FARTHEST = 36.0
"""Semitones of transposition that count at most for how loud a recording is as it is played."""


def measured(samples: NDArray[np.float32], rate: int) -> tuple[float | None, float]:
    """Integrated loudness in LUFS (ITU-R BS.1770) and highest sample of ``[channels, frames]``.

    The loudness is None if they are too short for one or silent; mono counts as on both channels.
    """
    meter, highest = LoudnessMeter(rate), 0.0
    for _, piece in pieces(samples):
        meter.add(piece if len(piece) == 2 else np.repeat(piece, 2, axis=0))
        highest = max(highest, float(np.abs(piece).max(initial=0.0)))
    loudness = meter.integrated()
    return (loudness if math.isfinite(loudness) else None), highest


def played_loudness(
    samples: NDArray[np.float32], rate: int, root: float | None, loudness: float | None
) -> float | None:
    """Loudness of ``[channels, frames]`` in LUFS as they are played: at the root and at middle C.

    It is the mean of both: K-weighting hears a low recording that is played high as louder. What
    is read faster by a factor is the same samples at a rate as much higher.

    Parameters
    ----------
    root
        The key at which they sound as recorded, if they have one.
    loudness
        Their own loudness, see `measured`.
    """
    if root is None or loudness is None:
        return loudness
    semitones = min(max(MIDDLE_C - root, -FARTHEST), FARTHEST)
    transposed, _ = measured(samples, round(rate * 2.0 ** (semitones / 12.0)))
    return loudness if transposed is None else 0.5 * (loudness + transposed)


@dataclass(frozen=True)
class Recording:
    """A recording after its steps, ready to be read at any speed.

    Parameters
    ----------
    samples
        ``[channels, frames]``
    place
        Where files are kept that are made of it, if it is long; see `caligo.material.long`.
    """

    card: RecordingCard
    samples: NDArray[np.float32] = field(repr=False)
    place: Path | None = None

    @property
    def rate(self) -> int:
        """Its own sample rate."""
        return self.card.rate

    @property
    def frames(self) -> int:
        """Samples after the steps."""
        return int(self.samples.shape[1])

    @property
    def root(self) -> float:
        """The key at which it sounds as recorded; middle C where it has no pitch."""
        return MIDDLE_C if self.card.root is None else self.card.root

    @cached_property
    def pyramid(self) -> Pyramid:
        """Copies for reading it faster."""
        return Pyramid(self.samples, path=beside(self.place, ".copies-2.npy"))

    @cached_property
    def mono(self) -> Pyramid:
        """Copies of both channels together."""
        path = beside(self.place, ".mono.npy")
        if path is None:
            return Pyramid(self.samples.mean(axis=0, keepdims=True))
        if not path.exists():
            with ArrayFile(path, 1, self.frames) as file:
                for at, piece in pieces(self.samples):
                    file.write(at, piece.mean(axis=0, keepdims=True))
        return Pyramid(mapped(path), path=beside(self.place, ".mono-copies-2.npy"))

    @cached_property
    def loudness(self) -> float | None:
        """Its integrated loudness in LUFS (ITU-R BS.1770); None if it is too short or silent."""
        if self.card.loudness is not None:
            return self.card.loudness
        return measured(self.samples, self.rate)[0]

    @property
    def evened(self) -> float | None:
        """See `RecordingCard.evened`."""
        return self.loudness if self.card.evened is None else self.card.evened

    @cached_property
    def level(self) -> float:
        """The root mean square of what is heard of it: the loudest quarter of its moments."""
        size = max(1, min(self.frames, self.rate // 20))
        power = powers(self.samples, size)
        loud = np.sort(power)[-max(1, len(power) // 4) :]
        return float(np.sqrt(loud.mean()))
