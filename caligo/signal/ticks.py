"""Control ticks: the grid on which everything that moves is evaluated."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

TICK = 64
"""Samples between control ticks."""
REFERENCE_RATE = 48_000
"""The sample rate that counts and levels are given for, where others are to sound alike."""


def at_rate(count: int, rate: int) -> int:
    """So many samples at `REFERENCE_RATE`, twice as many where the rate is about twice as high.

    Examples
    --------
    >>> at_rate(2_048, 44_100), at_rate(2_048, 96_000)
    (2048, 4096)
    """
    return count * max(1, round(rate / REFERENCE_RATE))


@dataclass(frozen=True, slots=True)
class Span:
    """Control ticks ``first`` to ``first + ticks`` at a sample rate."""

    first: int
    ticks: int
    rate: int

    @property
    def end(self) -> int:
        """The tick behind its last."""
        return self.first + self.ticks

    @property
    def samples(self) -> int:
        """Samples in the span."""
        return self.ticks * TICK

    @property
    def times(self) -> NDArray[np.float64]:
        """The moment of every tick and of the end, in seconds ``[ticks + 1]``."""
        ticks = np.arange(self.first, self.first + self.ticks + 1, dtype=np.float64)
        return ticks * (TICK / self.rate)
