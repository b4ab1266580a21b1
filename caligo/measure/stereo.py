"""Stereo over time: correlation of left and right, and width."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class StereoImage:
    """Correlation -1 to 1; width 0 for mono, 1 for unrelated channels, 2 for opposite ones."""

    correlation: float
    width: float


def stereo_image(signal: NDArray[np.float32]) -> StereoImage:
    """Correlation and width of `signal` ``[2, samples]``.

    Width is twice the fraction of the side (L - R) in the energy of middle and side. Silence
    counts as mono.
    """
    both = signal.astype(np.float64)
    # Not by `@`, whose library leaves a thread waiting on a core that rendering needs.
    energies = np.einsum("in,jn->ij", both, both)
    energy_left, energy_right = float(energies[0, 0]), float(energies[1, 1])
    if energy_left + energy_right < 1e-12:
        return StereoImage(1.0, 0.0)
    cross = float(energies[0, 1])
    root = (energy_left * energy_right) ** 0.5
    side = energy_left + energy_right - 2.0 * cross
    return StereoImage(
        cross / root if root > 0.0 else 0.0,
        max(0.0, side / (energy_left + energy_right)),
    )
