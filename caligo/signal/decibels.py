"""Decibels to factors, as levels on screen mean them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

SILENT = -80.0
"""Levels at or below count as silence, in decibels."""


def gain(decibels: Floats) -> Floats:
    """Decibels ``[...]`` to a factor; the bottom of a level's range is silence."""
    found: Floats = np.where(decibels <= SILENT, 0.0, 10.0 ** (decibels / 20.0))
    return found
