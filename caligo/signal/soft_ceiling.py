"""The ceiling of loops that give back all: what goes round for ever stays below it."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from caligo.kernels import device
from caligo.signal.silence import DEAD


@device(inline="always")
def below_ceiling(x: Any) -> Any:
    """A sample as it is up to 1, and never over 2; next to nothing becomes nothing.

    Examples
    --------
    >>> [float(below_ceiling.called(np.float32(x))) for x in (0.5, -2.0, 1e-30)]
    [0.5, -1.5, 0.0]
    """
    one, two = np.float32(1.0), np.float32(2.0)
    size = abs(x)
    held = two - one / max(size, one) if size > one else size
    kept = held if size > np.float32(DEAD) else np.float32(0.0)
    return math.copysign(kept, x)
