"""What movement costs by itself: the fraction of a render that goes into computing trajectories.

A sound at rest also does less in its sources and filters (nothing glides, warps stay off), so a
render with everything muted says nothing about modulators. Here the clock runs only while values
of trajectories and modulators are computed.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from caligo.movement.moments import Moments
from caligo.movement.trajectory import Bundle, Trajectory

COMPUTING = (
    (Trajectory, "values"),
    (Trajectory, "compact"),
    (Trajectory, "at_starts"),
    (Bundle, "values"),
    (Moments, "modulation"),
)


class Clock:
    """Seconds spent inside some functions, each stretch counted once."""

    def __init__(self) -> None:
        self.seconds = 0.0
        self._depth = 0

    def around(self, act: Callable[..., Any]) -> Callable[..., Any]:
        """The same function, with the clock running inside."""

        def timed(*args: Any, **more: Any) -> Any:
            self._depth += 1
            began = time.perf_counter()
            try:
                return act(*args, **more)
            finally:
                self._depth -= 1
                if self._depth == 0:
                    self.seconds += time.perf_counter() - began

        return timed


@contextmanager
def clocked() -> Iterator[Clock]:
    """A clock that runs while movement is computed, by a single thread."""
    clock = Clock()
    before = [(owner, name, getattr(owner, name)) for owner, name in COMPUTING]
    try:
        for owner, name, act in before:
            setattr(owner, name, clock.around(act))
        yield clock
    finally:
        for owner, name, act in before:
            setattr(owner, name, act)


def movement_fraction(render: Callable[[], Any]) -> float:
    """Which share of a render's time goes into movement, at best of three."""
    found = []
    for _ in range(3):
        with clocked() as clock:
            began = time.perf_counter()
            render()
            found.append(clock.seconds / (time.perf_counter() - began))
    return min(found)
