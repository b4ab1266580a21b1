"""The engine that a loop goes back to, made ready while the loop is still heard."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

from caligo.engine.render.engine import Engine
from caligo.processing.processor import State

LEAD = 2.5
"""Seconds ahead of the loop's end from which on its start is prepared."""
FRACTION = 0.5
"""The fraction of the time that is left which preparing may take."""

Make = Callable[[float], Engine]
"""Makes an engine at the loop's start, taking about so many seconds."""


@dataclass(frozen=True, slots=True)
class Loop:
    """A stretch that is listened to again and again, in seconds."""

    start: float
    end: float


class LoopStart:
    """Prepares engines at a loop's start, one after the other.

    The first is made anew. Afterwards the one that has come to the loop's end goes back to the
    state that the other began with, which takes no run-in, so that even the shortest loop turns
    in time.

    Parameters
    ----------
    make
        Makes an engine at the loop's start, from a thread of its own.
    """

    def __init__(self, make: Make) -> None:
        self._make = make
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="loop")
        self._next: Future[Engine] | None = None
        self._state: State | None = None
        self._spare: Engine | None = None

    def prepare(self, remaining: float) -> None:
        """Begin to prepare, where the loop ends in so many seconds and that is soon."""
        if self._next is not None or remaining > LEAD:
            return
        spare, state = self._spare, self._state
        self._spare = None
        if spare is not None and state is not None:
            self._next = self._pool.submit(_sent_back, spare, state)
        else:
            self._next = self._pool.submit(self._make, FRACTION * remaining)

    @property
    def ready(self) -> bool:
        """Whether the engine can be taken without waiting for it."""
        return self._next is not None and self._next.done()

    def take(self) -> Engine:
        """The engine at the loop's start; waits for it if it is not ready."""
        self.prepare(0.0)
        assert self._next is not None
        engine = self._next.result()
        self._next = None
        if self._state is None:
            self._state = engine.save_state()
        return engine

    def give_back(self, engine: Engine) -> None:
        """An engine that is no longer heard may be sent back to the start."""
        if self._state is not None:
            self._spare = engine

    def discard(self) -> None:
        """What was prepared is stale: something has changed."""
        self._next = self._state = self._spare = None


def _sent_back(engine: Engine, state: State) -> Engine:
    engine.restore_state(state)
    return engine
