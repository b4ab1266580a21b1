"""What a start from the middle has not heard, warmed up while it is listened to.

A start at once can run in for a moment only; a long reverb lacks most of its energy then. A second
engine runs in for as long as the sound remembers, until it has reached the one that is heard, and
takes its place.
"""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from caligo.engine.render.engine import Engine

LONGEST = 60.0
"""Seconds of run-in at most: what never fades is warmed up as far as that."""
SLICE_TICKS = 256
"""Ticks that are run between two looks at whether anybody still waits for it."""
LEAD_BLOCKS = 3
"""Blocks ahead of what is heard that it comes to stand at, so that it is there in time."""

PRIORITY = 10
"""The nice value of its thread."""

Make = Callable[[], Engine]
Position = Callable[[], int]


def _let_others_go_first() -> None:
    """Leave the processor to what plays, where threads have priorities of their own (Linux)."""
    with contextlib.suppress(AttributeError, OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), PRIORITY)


class Warmup:
    """Brings a second engine to where another is, in a thread of its own.

    Parameters
    ----------
    position
        The first tick that what is heard may be changed from.
    block_ticks
        Ticks by which that goes on at a time.
    """

    def __init__(self, position: Position, block_ticks: int) -> None:
        self._position = position
        self._block_ticks = block_ticks
        self._pool = ThreadPoolExecutor(
            1, thread_name_prefix="catch-up", initializer=_let_others_go_first
        )
        self._lock = threading.Lock()
        self._stale = threading.Event()
        self._ready: Engine | None = None
        self._planned: Make | None = None

    def plan(self, make: Make) -> None:
        """Go about it anew when `begin` is called, with an engine that `make` makes."""
        self.discard()
        self._planned = make

    def begin(self) -> None:
        """Begin with what has been planned, if anything; the engine is made in the other thread."""
        make, self._planned = self._planned, None
        if make is not None:
            self._pool.submit(self._run, make, self._stale)

    def discard(self) -> None:
        """What is heard has changed: what is being warmed up is of no use any more."""
        with self._lock:
            self._stale.set()
            self._stale, self._ready, self._planned = threading.Event(), None, None

    @property
    def ready(self) -> bool:
        """Whether there may be an engine to take."""
        return self._ready is not None

    def at_most(self, now: int, ticks: int) -> int:
        """As many of so many ticks from now on as lead no further than to the engine to take."""
        ready = self._ready
        return ticks if ready is None or ready.tick <= now else min(ticks, ready.tick - now)

    def take(self, now: int) -> Engine | None:
        """The engine, where it stands between `position` and the tick that is rendered next."""
        with self._lock:
            ready = self._ready
            if ready is None or ready.tick > now:
                return None
            self._ready = None
            if ready.tick >= self._position():
                return ready
            # What is heard has gone past it.
            self._pool.submit(self._reach, ready, self._stale)
            return None

    def reach_again(self, engine: Engine) -> None:
        """Bring an engine that could not be taken to where it can be."""
        self._pool.submit(self._reach, engine, self._stale)

    def _run(self, make: Make, stale: threading.Event) -> None:
        if stale.is_set():
            return
        engine = make()
        engine.start(self._position(), most=LONGEST, interrupted=stale.is_set)
        self._reach(engine, stale)

    def _reach(self, engine: Engine, stale: threading.Event) -> None:
        """Run on to a little ahead of what is heard, and wait there."""
        target = engine.tick
        while not stale.is_set() and target < self._position() + self._block_ticks:
            blocks = -(-(self._position() - target) // self._block_ticks) + LEAD_BLOCKS
            target += blocks * self._block_ticks
            while engine.tick < target and not stale.is_set():
                engine.run(min(SLICE_TICKS, target - engine.tick))
        with self._lock:
            if not stale.is_set():
                engine.listen(0.0)
                self._ready = engine
