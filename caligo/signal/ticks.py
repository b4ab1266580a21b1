"""Control ticks: the grid on which everything that moves is evaluated."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

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
    def times(self) -> NDArray[np.float64]:
        """The moment of every tick and of the end, in seconds ``[ticks + 1]``."""
        ticks = np.arange(self.first, self.first + self.ticks + 1, dtype=np.float64)
        return ticks * (TICK / self.rate)
