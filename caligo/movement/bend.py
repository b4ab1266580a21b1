"""Bends: how a way from 0 to 1 is covered early or late."""

from __future__ import annotations

import math

from caligo.kernels import kernel

STEEPEST = 6.0
"""Exponent of a full bend: it covers 95 % of its way in half its time."""


@kernel("f8, f8")
def bent(x: float, bend: float) -> float:
    """A way from 0 to 1 as x goes from 0 to 1; early for a bend above zero, late below."""
    x = min(max(x, 0.0), 1.0)
    if abs(bend) < 1e-6:
        return x
    return (1.0 - math.exp(-bend * x)) / (1.0 - math.exp(-bend))
