"""Cycles passed since a voice began: what every pitched source reads its waves by."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import kernel
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive, units
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Trajectory
from caligo.signal.ticks import TICK

HISTORY = 8192
"""Moments of what came earlier that are added up at a time."""
FADES, HIGHEST = 0.42, 0.45
"""Cycles per sample from which on a wave fades, and at most: there nothing is left of it."""

Advance = Callable[[NDArray[np.float64], Moments, Floats], None]
"""Adds a stretch of one voice, at its moments and with its pitch, to what was added up before."""


def left_of(steps: Floats) -> Floats:
    """What is left of waves of so many cycles per sample ``[ticks]``, from 1 below `FADES` to 0."""
    found: Floats = np.clip((HIGHEST - steps) / (HIGHEST - FADES), 0.0, 1.0)
    return found


@kernel("f8, f8[::1], f8[::1]")
def accumulate_phase(phase: float, step: np.ndarray, at_ticks: np.ndarray) -> float:
    """Add up a voice's cycles, tick by tick, in the one order that all renders share.

    Parameters
    ----------
    phase
        Cycles passed at the first tick; those at the last are returned.
    step
        Cycles per sample at every tick ``[ticks + 1]``.
    at_ticks
        Receives the cycles at every tick but the last ``[ticks]``; may be empty.
    """
    for k in range(len(step) - 1):
        if len(at_ticks) > 0:
            at_ticks[k] = phase
        phase += 0.5 * TICK * (step[k] + step[k + 1])
    return phase


def first_tick(block: SourceBlock, row: int) -> int:
    """The control tick at which a voice of the block begins."""
    return math.floor(block.voices[row].start * block.span.rate / TICK)


class Accumulated:
    """What moving parameters have added up to since each voice began, by the voice's name.

    It could be added up again from the score at any time; keeping it saves that work.
    """

    def __init__(self) -> None:
        self._by_voice: dict[str, tuple[int, NDArray[np.float64]]] = {}

    def up_to(
        self,
        block: SourceBlock,
        row: int,
        nothing: NDArray[np.float64],
        advance: Advance,
        cell: int = 1,
        *,
        before: int = 0,
        stride: int = 1,
        since: int | None = None,
    ) -> NDArray[np.float64]:
        """What has been added up ``[values]`` by the block's start, from `nothing` at the voice's.

        Kept from the block before where there was one, else added up again from the note on.

        Parameters
        ----------
        nothing, advance
            What there is at first, and how a stretch is added to it.
        cell
            What is added up in cells of several ticks begins at the last border of a cell.
        before
            Asks for a moment some ticks before the block.
        stride
            `advance` is given every `stride`-th tick; a cell is a multiple of it.
        since
            The tick from which adding up is enough, where that is later than the voice's first.
        """
        voice = block.voices[row]
        first = (block.span.first - before) // cell * cell
        began = first_tick(block, row) // cell * cell if since is None else since
        at, added = self._by_voice.get(voice.name, (began, nothing))
        if block.preview and at != first and began < first:
            # Anywhere in their cycles, as after minutes; all alike would be louder than the sound.
            anywhere = np.empty(len(nothing))
            units(np.uint64(derive(voice.seed, first)), anywhere)
            return nothing + anywhere
        if not began <= at <= max(first, began) or len(added) != len(nothing):
            at, added = began, nothing
        added = added.copy()
        while at < first:
            ticks = min(HISTORY * stride, first - at)
            advance(added, *block.history(row, at, ticks, stride))
            at += ticks
        return added

    def keep(
        self,
        block: SourceBlock,
        row: int,
        added: NDArray[np.float64],
        cell: int = 1,
        before: int = 0,
    ) -> None:
        """Remember what has been added up ``[values]`` by the block's end; forget voices long gone.

        With cells, by the last border of a cell that is not after the end; `before` as in
        `up_to`.
        """
        end = (block.span.first + block.span.ticks - before) // cell * cell
        self._by_voice[block.voices[row].name] = (end, added)
        if len(self._by_voice) > 4 * len(block.voices) + 64:
            alive = {v.name for v in block.voices}
            self._by_voice = {k: v for k, v in self._by_voice.items() if k in alive}

    def copy(self) -> dict[str, Any]:
        """All that is kept, for another source of the same layer."""
        return {name: (at, added.copy()) for name, (at, added) in self._by_voice.items()}

    def take(self, kept: dict[str, Any]) -> None:
        """Go on from what another has kept."""
        self._by_voice = {name: (at, added.copy()) for name, (at, added) in kept.items()}


class Phases:
    """The cycles of voices whose pitch may move.

    Parameters
    ----------
    fine
        The source's fine tuning in cents, if it has one.
    ratio
        The multiple of the voices' frequency that is meant, if it is not that itself.
    """

    def __init__(self, fine: Trajectory | None, rate: int, ratio: Trajectory | None = None) -> None:
        self._fine = fine
        self._ratio = ratio
        self._rate = rate
        self.accumulated = Accumulated()

    def steps(self, moments: Moments, pitch: Floats) -> Floats:
        """Cycles per sample at every tick ``[voices, ticks + 1]``; pitch in octaves over 1 Hz."""
        if self._fine is not None:
            pitch = pitch + self._fine.values(moments) / 1200.0
        steps: Floats = np.minimum(np.exp2(pitch) / self._rate, HIGHEST)
        return steps if self._ratio is None else steps * self._ratio.values(moments)

    def steady(self, block: SourceBlock, row: int) -> bool:
        """Whether a voice keeps one pitch from its start to its end."""
        moved = any(t.moved for t in (self._fine, self._ratio) if t is not None)
        return block.steady(row) and not moved

    def resting_step(self, block: SourceBlock, row: int) -> float:
        """Cycles per sample of a steady voice, without what it drifts; see `steady`."""
        pitch = float((block.pitch if block.resting is None else block.resting)[row, 0])
        if self._fine is not None:
            pitch += self._fine.base / 1200.0
        step = min(math.exp2(pitch) / self._rate, HIGHEST)
        return step if self._ratio is None else step * self._ratio.base

    def clock(self, block: SourceBlock, row: int, ticks: NDArray[np.integer], began: int) -> Floats:
        """Samples that have passed since a tick on a drift voice's own clock ``[ticks]``."""
        found: Floats = TICK * np.maximum(ticks - began, 0).astype(np.float64)
        if block.ahead is not None:
            times = np.append(np.maximum(ticks, began), began) * (TICK / self._rate)
            ahead = block.ahead(row, times)
            found += self._rate * (ahead[:-1] - ahead[-1])
        return found

    def over(self, block: SourceBlock, row: int, step: Floats) -> Floats:
        """Cycles passed since the voice began, at every tick and the end ``[ticks + 1]``.

        `step` is the voice's row of `steps`. Before the voice begins nothing has passed.
        """
        span, began = block.span, first_tick(block, row)
        ticks = np.arange(span.first, span.first + span.ticks + 1)
        if self.steady(block, row):
            if block.ahead is not None:
                return self.resting_step(block, row) * self.clock(block, row, ticks, began)
            found: Floats = TICK * step[0] * np.maximum(ticks - began, 0)
            return found

        def advance(added: NDArray[np.float64], moments: Moments, pitch: Floats) -> None:
            added[0] = accumulate_phase(added[0], self.steps(moments, pitch)[0], np.empty(0))

        wait = max(0, began - span.first)
        phase = np.zeros(span.ticks + 1)
        if wait < span.ticks:
            carried = self.accumulated.up_to(block, row, np.zeros(1), advance)[0]
            phase[-1] = accumulate_phase(carried, step[wait:], phase[wait:-1])
            self.accumulated.keep(block, row, phase[-1:].copy())
        return phase
