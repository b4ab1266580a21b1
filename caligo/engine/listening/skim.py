"""Skim: hear the whole length in seconds, as short overlapping moments of it in order.

Each moment is what the cue sounds like there, rendered by the same engine from its own run-in.
The same way of listening gives two moments in turn, to compare them.
"""

from __future__ import annotations

import threading
from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.listening.stream import Stretch
from caligo.engine.render.engine import DEFAULT_RATE, SMALL_BLOCK, Engine
from caligo.engine.stems.store import StemStore
from caligo.movement.hold_still import HoldStill
from caligo.signal.ticks import TICK

Signal = NDArray[np.float32]

PIECE_BLOCKS, OVERLAP_BLOCKS = 12, 4
"""Blocks from one moment of a skim to the next (0.51 s at 48 kHz), and of their overlap."""
COMPARED_BLOCKS = 60
"""Blocks of each of two moments that are compared: 2.6 s."""
ROLL = 2.0
"""Seconds of run-in at most; exact, and without one, where the mixer has left its state."""
BLOCK_TICKS = SMALL_BLOCK // TICK


def evenly(length: float, seconds: float, rate: int = DEFAULT_RATE) -> list[float]:
    """The moments of a skim of a length that lasts about so many seconds.

    Examples
    --------
    >>> found = evenly(240.0, 16.0)
    >>> len(found), found[0], round(found[-1], 1)
    (31, 0.0, 239.3)
    """
    piece = PIECE_BLOCKS * SMALL_BLOCK / rate
    heard = (PIECE_BLOCKS + OVERLAP_BLOCKS) * SMALL_BLOCK / rate
    count = max(2, round(seconds / piece))
    last = max(0.0, length - heard)
    return [float(t) for t in np.linspace(0.0, last, count)]


class Skim:
    """Moments of a sound, one after the other; blocks on demand.

    Parameters
    ----------
    moments
        Where each piece begins, in seconds.
    blocks
        Blocks from one piece to the next.
    again
        Whether it goes round and round.

    Notes
    -----
    Pieces are rendered by a thread of their own, one ahead of what is heard; an edit is heard
    from the next piece on. It answers like `Listening`; keys, loops and seeks belong to that.
    """

    def __init__(
        self,
        sound: Sound,
        score: Score,
        moments: Sequence[float],
        *,
        blocks: int = PIECE_BLOCKS,
        again: bool = False,
        rate: int = DEFAULT_RATE,
        store: StemStore | None = None,
        hold_still: HoldStill = False,
    ) -> None:
        self.frames = 0
        """Frames of the stream up to the next stretch."""
        self._lock = threading.Lock()
        self._moments = list(moments)
        self._blocks, self._again = blocks, again
        self._rate, self._store, self._hold_still = rate, store, hold_still
        self._sound, self._score = sound, score
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="skim")
        self._engine: Engine | None = None
        self._known: dict[int, Signal] = {}
        self._index = self._at = 0
        self._piece = self._render(0)
        self._before: Signal | None = None
        self._next = self._prepare(1)

    def _prepare(self, index: int) -> tuple[int, Future[Signal]] | None:
        """Begin to render a piece, and say which, since an edit may come as another turns."""
        if self._again:
            index %= len(self._moments)
        if index >= len(self._moments):
            return None
        return index, self._pool.submit(self._render, index)

    def _render(self, index: int) -> Signal:
        """The piece that begins at a moment ``[2, samples]``, its overlap included."""
        with self._lock:
            if index in self._known:
                return self._known[index]
            if self._engine is None:
                self._engine = Engine(
                    self._sound,
                    self._score,
                    rate=self._rate,
                    stems=self._store,
                    hold_still=self._hold_still,
                    begins=False,
                )
            tick = round(self._moments[index] * self._rate / TICK)
            self._engine.start(tick, most=ROLL)
            ticks = (self._blocks + OVERLAP_BLOCKS) * BLOCK_TICKS
            found = np.concatenate(list(self._engine.stream(ticks)), axis=1)
            if self._again:
                self._known[index] = found
            return found

    @property
    def position(self) -> float:
        """The moment that the next block begins at, in seconds."""
        following = self._next
        if self._at == self._blocks and following is not None:
            return self._moments[following[0]]
        return self._moments[self._index] + self._at * SMALL_BLOCK / self._rate

    @property
    def finished(self) -> bool:
        """Whether the last moment has been heard."""
        return self._at >= self._blocks + OVERLAP_BLOCKS

    def stretch(self, most: int = 1) -> Stretch:
        """The next block, and where it belongs; one, whatever the most may be."""
        frame, at = self.frames, self.position
        signal = self.block()
        self.frames += signal.shape[1]
        return Stretch(frame, at, 0, signal)

    @property
    def calls(self) -> bool:
        """See `Listening.calls`: what comes next waits for its turn."""
        return False

    def block(self) -> Signal:
        """The next block ``[2, SMALL_BLOCK]``."""
        following = self._next
        if self._at == self._blocks and following is not None:
            self._index, ready = following
            self._before, self._piece = self._piece, ready.result()
            self._at = 0
            self._next = self._prepare(self._index + 1)
        out = self._of(self._piece, self._at)
        if self._before is not None:
            # Equal power: two moments of a sound have little in common.
            fraction = np.arange(SMALL_BLOCK, dtype=np.float32) / SMALL_BLOCK + self._at
            angle = 0.5 * np.pi * fraction / OVERLAP_BLOCKS
            fading = self._of(self._before, self._blocks + self._at)
            out = (np.sin(angle) * out + np.cos(angle) * fading).astype(np.float32)
        self._at += 1
        if self._at == OVERLAP_BLOCKS:
            self._before = None
        return out

    @staticmethod
    def _of(piece: Signal, block: int) -> Signal:
        return piece[:, block * SMALL_BLOCK : (block + 1) * SMALL_BLOCK]

    def edit(self, sound: Sound, score: Score | None = None) -> None:
        """Go on with a changed sound or score from the next piece on."""
        with self._lock:
            self._sound, self._score = sound, score or self._score
            self._engine = None
            self._known.clear()
        self._next = self._prepare(self._index + 1)

    def hold_still(self, still: HoldStill) -> None:
        """Stop all movement, or let it go on, from the next piece on."""
        self._hold_still = still
        self.edit(self._sound)
