"""What sources are shown in their pictures, and how values become small numbers for the screen."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from caligo.movement.block import SourceBlock

Shown = dict[str, Any]
"""Plain data and arrays by name."""
FLOOR = -90.0
"""Decibels under a voice's full level that are shown as nothing."""


class Portrait(Protocol):
    """The first voice of a layer at moments over the whole length."""

    moments: Sequence[float]

    def block(self, seconds: float, ticks: int) -> SourceBlock | None:
        """The block at a moment, with the lowest voice that sounds then; None in silence."""

    def blocks(self, ticks: int) -> Iterator[tuple[float, SourceBlock]]:
        """Every moment at which something sounds, with its block."""


def levels_of(amplitudes: NDArray[np.float64]) -> NDArray[np.uint8]:
    """Amplitudes ``[...]`` as bytes: 0 for `FLOOR` dB under 1, and 255 for 1."""
    decibels = 20.0 * np.log10(np.maximum(amplitudes, 1e-9))
    found: NDArray[np.uint8] = np.clip(
        np.round((decibels - FLOOR) * (255.0 / -FLOOR)), 0, 255
    ).astype(np.uint8)
    return found


def octaves_of(hertz: NDArray[np.float64]) -> NDArray[np.uint16]:
    """Frequencies ``[...]`` in steps of 1/2048 octave over 8 Hz."""
    found: NDArray[np.uint16] = np.clip(
        np.round(2048.0 * np.log2(np.maximum(hertz, 8.0) / 8.0)), 0, 65_535
    ).astype(np.uint16)
    return found
