"""How long something takes on a machine that others use, too."""

from __future__ import annotations

import time
from collections.abc import Callable


def best(act: Callable[[], object], times: int = 3) -> float:
    """The shortest of several runs, in seconds."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        act()
        found.append(time.perf_counter() - began)
    return min(found)
