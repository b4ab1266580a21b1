"""trajectories drawn by hand: points in time with a bend on the way from each to the next."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from caligo.document.sound import AutomationPoint
from caligo.kernels import kernel
from caligo.movement.curvature import STEEPEST, curved
from caligo.movement.notes import Floats


@kernel("f8[::1], f8[::1], f8[::1], f8[::1], f8[::1]")
def lane_values(
    at: np.ndarray, values: np.ndarray, curvatures: np.ndarray, times: np.ndarray, out: np.ndarray
) -> None:
    """The course through points at `times` ``[times]``; outside of them it stays.

    Parameters
    ----------
    at, values
        The points, rising in time ``[points]``; where two share a moment it jumps.
    curvatures
        Of the way from each point to the next, -1 to 1 ``[points]``.
    """
    last = len(at) - 1
    i = 0
    for k in range(len(times)):
        time = times[k]
        if i > 0 and at[i] > time:
            i = 0
        while i < last and at[i + 1] <= time:
            i += 1
        if time <= at[0] or i == last:
            out[k] = values[0] if time < at[0] else values[i]
            continue
        span = at[i + 1] - at[i]
        fraction = curved((time - at[i]) / span, STEEPEST * curvatures[i]) if span > 0.0 else 1.0
        out[k] = values[i] + (values[i + 1] - values[i]) * fraction


class LaneValues:
    """A lane's points as a trajectory reads them.

    Parameters
    ----------
    times
        When the points are, in seconds ``[points]``.
    logarithmic
        Whether the ways between points are even in octaves.
    """

    def __init__(
        self, points: Sequence[AutomationPoint], times: Floats, *, logarithmic: bool
    ) -> None:
        order = np.argsort(times, kind="stable")
        ordered = [points[i] for i in order]
        self._at = times[order]
        self._values = np.array([p.value for p in ordered])
        self._bends = np.array([p.bend / 100.0 for p in ordered])
        self._logarithmic = logarithmic
        self._read = self._values
        if logarithmic:
            self._read = np.array([math.log2(max(v, 1e-9)) for v in self._values])

    @property
    def range(self) -> tuple[float, float]:
        """The least and the greatest value that it goes to."""
        return float(self._values.min()), float(self._values.max())

    def values(self, times: Floats) -> Floats:
        """Values ``[times]``, in octaves where the scale is logarithmic."""
        out = np.empty(len(times))
        lane_values(self._at, self._read, self._bends, np.ascontiguousarray(times), out)
        return out
