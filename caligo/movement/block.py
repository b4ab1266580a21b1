"""A block: the stretch of control ticks that is computed at once, and the voices in it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from caligo.movement.notes import Floats
from caligo.movement.routes import Frame
from caligo.movement.voices import Voice

TICK = 64
"""Samples between control ticks."""


@dataclass(frozen=True, slots=True)
class Span:
    """Control ticks ``first`` to ``first + ticks`` at a sample rate."""

    first: int
    ticks: int
    rate: int

    @property
    def samples(self) -> int:
        """Samples in the span."""
        return self.ticks * TICK

    @property
    def times(self) -> Floats:
        """The moment of every tick and of the end, in seconds ``[ticks + 1]``."""
        ticks = np.arange(self.first, self.first + self.ticks + 1, dtype=np.float64)
        return ticks * (TICK / self.rate)


class History(Protocol):
    """See `Block.history`."""

    def __call__(self, row: int, first: int, ticks: int, stride: int = 1) -> tuple[Frame, Floats]:
        """The frame and pitch of a voice at every `stride`-th of `ticks` ticks, and the end."""


@dataclass(frozen=True, slots=True)
class Block:
    """What a source is asked to render.

    Parameters
    ----------
    frame
        The block's moments and voices, for the courses of parameters.
    pitch
        Octaves over 1 Hz at every tick ``[voices, ticks + 1]``.
    history
        ``history(row, first, ticks, stride)``: the frame and pitch of one voice at every
        `stride`-th tick of another span, for what has to be added up since the voice began.
    steady
        ``steady(row)``: whether a voice keeps the pitch it begins with.
    past
        Where a source may write what goes past the layer's filters ``[voices, 2, samples]``.
    rough
        Whether phases do not matter: what has to be added up since a voice began may be left
        out. The first, coarse picture is made so.
    """

    span: Span
    voices: Sequence[Voice]
    frame: Frame
    pitch: Floats
    history: History
    steady: Callable[[int], bool]
    past: NDArray[np.float32] | None = None
    rough: bool = False
