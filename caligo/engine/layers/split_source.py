"""A layer's source, played by one worker or by several at once, each with voices of its own."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.movement.block import SourceBlock
from caligo.movement.voices import Voice
from caligo.synthesis.source import Source

SHORT = 4_096
"""Samples of a block below which workers take turns: to wake them would cost as much."""


@cache
def _helpers() -> ThreadPoolExecutor:
    """Threads that all layers share; they are started as they are first needed.

    What they are given never waits for another of them.
    """
    return ThreadPoolExecutor(os.cpu_count(), thread_name_prefix="voices")


# A process that is forked from this one has none of its threads.
os.register_at_fork(after_in_child=_helpers.cache_clear)


class SplitSource:
    """A source for each worker; voices stay with theirs, along with what is kept for them.

    No voice hears of another, so the samples are the same for any number of workers.

    Parameters
    ----------
    make
        Makes the source.
    workers
        How many play at the same time.
    """

    def __init__(self, make: Callable[[], Source], workers: int) -> None:
        self._sources = [make() for _ in range(workers)]
        self._owner: dict[str, int] = {}
        self._begins = True

    @property
    def one(self) -> Source:
        """One of them, for what all tell alike."""
        return self._sources[0]

    def play(self, voices: Sequence[Voice]) -> None:
        """Deal out voices to the workers, in turn."""
        self._begins = True
        if len(self._sources) > 1:
            self._owner = {voice.name: i % len(self._sources) for i, voice in enumerate(voices)}

    def prepare(self) -> None:
        """See `Source.prepare`."""
        for source in self._sources:
            source.prepare()

    def render(
        self,
        block: SourceBlock,
        out: NDArray[np.float32],
        part_of: Callable[[list[int]], SourceBlock],
    ) -> None:
        """Write the block's voices to `out` ``[voices, 2, samples]``, which is zero.

        Parameters
        ----------
        part_of
            The block with some of its voices only, by their rows.
        """
        if len(self._sources) == 1:
            self.one.render(block, out)
            return
        owners = np.array([self._owner[voice.name] for voice in block.voices], np.int64)
        rows = [np.flatnonzero(owners == number) for number in range(len(self._sources))]

        def play(number: int) -> None:
            if len(rows[number]):
                part = part_of(rows[number].tolist())
                signal = np.zeros((len(rows[number]), *out.shape[1:]), np.float32)
                self._sources[number].render(part, signal)
                out[rows[number]] = signal
                if block.unfiltered is not None and part.unfiltered is not None:
                    block.unfiltered[rows[number]] = part.unfiltered

        # What runs on since notes began is added up in the first block, however short that is.
        begins, self._begins = self._begins, False
        if block.span.samples < SHORT and not begins:
            for number in range(len(rows)):
                play(number)
            return
        others = [_helpers().submit(play, number) for number in range(1, len(rows))]
        play(0)
        for other in others:
            other.result()

    def save_state(self) -> dict[str, Any]:
        """See `Source.save_state`: of each voice what its worker knows."""
        if len(self._sources) == 1:
            return self.one.save_state()
        states = [source.save_state() for source in self._sources]
        return {
            key: {
                name: kept
                for number, state in enumerate(states)
                for name, kept in state[key].items()
                # The voices of a unison are named behind the note's own.
                if self._owner.get(name.split("/")[0]) == number
            }
            for key in states[0]
        }

    def restore_state(self, state: dict[str, Any]) -> None:
        """See `Source.restore_state`."""
        for source in self._sources:
            source.restore_state(state)
