"""The stream that is listened to: rendered ahead, and gone back into where something changes."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.engine.listening.kept_states import KeptStates
from caligo.engine.render.engine import SMALL_BLOCK, Engine
from caligo.processing.processor import State
from caligo.signal.ticks import TICK

Signal = NDArray[np.float32]

BLOCK_TICKS = SMALL_BLOCK // TICK
MOST_BLOCKS = 8
"""Blocks that are rendered at once at most: arranging a block costs as much as its samples, but to
go back into them is to render them again."""
MERGE_TICKS = 8 * BLOCK_TICKS
"""Ticks in which what a start has not heard comes in, once it is warmed up: a third of a second.
Even of the demo sound that lacks most, at -3 dB, the level dips by 0.6 dB meanwhile."""
MERGED_FROM = 8 * SMALL_BLOCK
"""Frames beyond what may be replaced at which it begins to, where so many are rendered: two
engines at once must not leave too little."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """Samples of a stream.

    Parameters
    ----------
    frame
        The frame of the stream that it begins at. Where that is before the end of the last
        stretch, it replaces what had come from there on.
    at
        The moment of the score that it begins at, in seconds.
    panics
        How many panics it comes after.
    signal
        ``[2, samples]``.
    """

    frame: int
    at: float
    panics: int
    signal: Signal


@dataclass(frozen=True, slots=True)
class _Standing:
    """The state at a frame: of the engine, of the one in whose place it comes, and how far."""

    state: State
    before: tuple[Engine, State] | None
    done: int


class Stream:
    """Frames rendered by one engine after the other, counted from 0.

    Parameters
    ----------
    replaceable
        The first frame that can still be replaced, called from any thread; without it, nothing is
        gone back into.
    """

    def __init__(self, replaceable: Callable[[], int] | None) -> None:
        self._replaceable = replaceable
        self._kept: KeptStates[_Standing] = KeptStates()
        self._blocks = 1
        self._engine: Engine | None = None
        self._before: Engine | None = None
        self._done = 0
        # Together, for threads that look at both.
        self._reached = 0, 0

    @property
    def frames(self) -> int:
        """Frames up to the next block."""
        return self._reached[0]

    @property
    def engine(self) -> Engine:
        """What renders from here on."""
        assert self._engine is not None, "listening has begun"
        return self._engine

    @engine.setter
    def engine(self, engine: Engine) -> None:
        self._engine = engine
        self.advance(0)

    @property
    def engines(self) -> list[Engine]:
        """All that is heard: the engine, and the one in whose place it comes, if it does now."""
        return [self.engine, *([self._before] if self._before else [])]

    def merge(self, engine: Engine) -> None:
        """Let an engine that has heard all come in, over `MERGE_TICKS`, from here on."""
        self._before, self._done = self.engine, 0
        self.engine = engine
        self.forget()

    @property
    def merging(self) -> bool:
        """Whether one engine comes in in the place of another."""
        return self._before is not None

    def merged(self, signal: Signal) -> Signal:
        """What is heard with what the engine before renders, while it still is ``[2, samples]``."""
        if self._before is None:
            return signal
        ticks = signal.shape[1] // TICK
        out = self._before.render(ticks)
        at = np.arange(signal.shape[1], dtype=np.float32) / TICK
        out += np.minimum(1.0, (at + self._done) / MERGE_TICKS) * (signal - out)
        self._done += ticks
        if self._done >= MERGE_TICKS:
            self.end_merging()
        return out

    def end_merging(self) -> None:
        """The engine before is heard no more."""
        self._before = None

    def _standing(self) -> _Standing:
        before = (self._before, self._before.save_state()) if self._before else None
        return _Standing(self.engine.save_state(), before, self._done)

    def _stand(self, standing: _Standing) -> None:
        # Into this engine, which is of the same sound: the one that left it may serve a loop now.
        self.engine.restore_state(standing.state)
        self._done, self._before = standing.done, None
        if standing.before is not None:
            self._before, state = standing.before
            self._before.restore_state(state)

    def advance(self, frames: int) -> None:
        """So many frames more have been rendered, and the engine stands where it does."""
        self._reached = self.frames + frames, self.engine.tick

    def _oldest(self, frames: int) -> int:
        """The first frame up to `frames` from which a change may be heard, at a tick."""
        if self._replaceable is None:
            return frames
        return min(frames, math.ceil(self._replaceable() / TICK) * TICK)

    def merging_tick(self) -> int:
        """The engine's tick from which on another may come in in its place; from any thread."""
        frames, tick = self._reached
        first = min(frames, self._oldest(frames) + MERGED_FROM)
        return max(0, tick - (frames - first) // TICK)

    def go_back(self) -> None:
        """Go back to where a change, which has to follow, is heard first."""
        self._go_back_to(self._oldest(self.frames))
        self.forget()

    def go_back_to_tick(self, tick: int) -> bool:
        """Go back to a tick of the engine, for a change; whether it stands there then."""
        self._go_back_to(self.frames - (self.engine.tick - tick) * TICK)
        return self.engine.tick == tick

    def _go_back_to(self, frame: int) -> None:
        """Go back to a frame, or as near to it as is possible."""
        found = self._kept.near(frame)
        if found is None or found[0] >= self.frames:
            return
        reached, kept, standing = found
        self._stand(standing)
        self.merged(self.engine.render((reached - kept) // TICK))
        self._reached = reached, self.engine.tick

    def forget(self) -> None:
        """A change follows: what was rendered up to here cannot be gone back into any more."""
        self._kept.clear()
        self._blocks = 1

    def blocks(self, most: int) -> int:
        """As many blocks as it pays to render at once, and `most` at most."""
        return min(most, self._blocks)

    def render(self, ticks: int) -> Signal:
        """The next ticks, in which nothing changes ``[2, samples]``."""
        if self._before is not None:
            ticks = min(ticks, MERGE_TICKS - self._done)
        if self._replaceable is not None:
            self._kept.offer(self.frames, self._standing, oldest=self._oldest(self.frames))
        signal = self.merged(self.engine.render(ticks))
        self.advance(signal.shape[1])
        if self._replaceable is not None:
            self._kept.went_on(self.frames)
        self._blocks = min(MOST_BLOCKS, 2 * self._blocks)
        return signal
