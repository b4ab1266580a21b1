"""What lies between probes of a sound: a picture of the whole, brought together from a few columns.

Most of a sound grows and fades where it is. What glides, as the partials of an endless glissando
do, would be drawn as steps that fade into each other; its way is found first, and followed.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from caligo.engine.views.picture_store import PROBES

Levels = NDArray[np.float64]

FARTHEST = 10
"""Rows by which something glides from one probe to the next at most."""
TOGETHER = 24.0
"""Standard deviation, in rows, of what is taken to glide together."""
FLATTER = 5.0
"""What each row of a glide costs, in squared bytes: of two that fit alike the shorter is taken."""
WORTH = 0.5
"""The fraction of the difference between two probes that a glide has to explain."""


def _fractions(places: Sequence[int], count: int) -> tuple[NDArray[np.intp], Levels]:
    """For `count` columns, the probe before each and how far it is on the way to the next."""
    middles = (np.arange(count) + 0.5) * PROBES / count - 0.5
    at = np.interp(middles, places, np.arange(len(places)))
    before = np.clip(at.astype(np.intp), 0, max(0, len(places) - 2))
    return before, at - before


def between(values: NDArray[np.floating], places: Sequence[int], count: int) -> Levels:
    """Values of probes ``[places, ...]``, brought to `count` columns ``[count, ...]``."""
    first, fraction = _fractions(places, count)
    fraction = fraction.reshape(-1, *[1] * (values.ndim - 1))
    before, after = values[first], values[np.minimum(first + 1, len(places) - 1)]
    joined: Levels = before + fraction * (after - before)
    return joined


def gliding(levels: Levels, places: Sequence[int], count: int) -> Levels:
    """Levels of probes ``[places, rows]``, brought to `count` columns along the ways they glide.

    Returns
    -------
    numpy.ndarray
        Levels ``[count, rows]``. Each probe is moved along the way to the other by as much as a
        column is off from it (interpolation with motion compensation, see A. M. Tekalp, *Digital
        Video Processing*, 1995; from memory).
    """
    first, fraction = _fractions(places, count)
    if len(places) < 2:
        return levels[first]
    directions = glides(levels)[first]
    rows = np.arange(levels.shape[1])
    joined = np.empty((count, len(rows)))
    for column, (probe, direction, part) in enumerate(
        zip(first, directions, fraction, strict=True)
    ):
        before = np.interp(rows - part * direction, rows, levels[probe])
        after = np.interp(rows + (1.0 - part) * direction, rows, levels[probe + 1])
        joined[column] = before + part * (after - before)
    return joined


def glides(levels: Levels) -> Levels:
    """Rows by which what is seen glides up from each probe to the next ``[places - 1, rows]``.

    Found by matching: of all ways, each row takes the one along which its neighbourhood differs
    least, if that explains enough of the difference.
    """
    directions = np.arange(-FARTHEST, FARTHEST + 1)
    unlike = np.array(
        [_unlike(levels, int(direction)) + FLATTER * abs(direction) for direction in directions]
    )
    least = unlike.min(axis=0)
    found = directions[unlike.argmin(axis=0)].astype(float)
    found[least > (1.0 - WORTH) * unlike[FARTHEST]] = 0.0
    smooth: Levels = gaussian_filter1d(found, TOGETHER / 2.0, axis=1, mode="nearest")
    return smooth


def _unlike(levels: Levels, direction: int) -> Levels:
    """Squared differences of neighbouring probes, met half way along a glide of so many rows."""
    rows, half = np.arange(levels.shape[1]), direction // 2
    low, high = rows - half, rows + direction - half
    inside = (np.minimum(low, high) >= 0) & (np.maximum(low, high) <= rows[-1])
    apart = np.zeros((len(levels) - 1, len(rows)))
    apart[:, inside] = (levels[:-1, low[inside]] - levels[1:, high[inside]]) ** 2
    near = (gaussian_filter1d(x, TOGETHER, mode="constant") for x in (apart, inside.astype(float)))
    unlike: Levels = np.divide(*near)
    return unlike
