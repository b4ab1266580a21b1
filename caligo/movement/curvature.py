"""Bends: how a way from 0 to 1 is covered early or late."""

from __future__ import annotations

import math

from caligo.kernels import kernel

STEEPEST = 6.0
"""Exponent of a full bend: it covers 95 % of its way in half its time."""


@kernel("f8, f8")
def curved(x: float, curvature: float) -> float:
    """A way from 0 to 1 as x goes from 0 to 1; early for a bend above zero, late below."""
    x = min(max(x, 0.0), 1.0)
    if abs(curvature) < 1e-6:
        return x
    return (1.0 - math.exp(-curvature * x)) / (1.0 - math.exp(-curvature))
