"""Unison for sources that render one pitch at a time: each note becomes several voices."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.movement.block import TICK, Block, History
from caligo.movement.chance import derive
from caligo.movement.notes import Floats, Notes
from caligo.movement.routes import Frame
from caligo.sources.common import unison
from caligo.sources.source import Source


def _repeated(notes: Notes, times: int) -> Notes:
    """Each note several times over."""
    return notes.pick([row for row in range(len(notes)) for _ in range(times)])


@njit(cache=True, nogil=True)
def _add_placed(voice: np.ndarray, left: np.ndarray, right: np.ndarray, out: np.ndarray) -> None:
    """Add ``[2, samples]`` with gains of left and right at every tick ``[ticks + 1]``."""
    for k in range(len(left) - 1):
        a, b = np.float32(left[k]), np.float32(right[k])
        a_step = np.float32((left[k + 1] - left[k]) / TICK)
        b_step = np.float32((right[k + 1] - right[k]) / TICK)
        for n in range(TICK):
            i = k * TICK + n
            out[0, i] += voice[0, i] * (a + np.float32(n) * a_step)
            out[1, i] += voice[1, i] * (b + np.float32(n) * b_step)


@njit(cache=True, nogil=True)
def placed(
    offsets: np.ndarray, spread: np.ndarray, gain: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Gains of left and right for each voice of a unison ``[voices, ticks + 1]``.

    By the constant-power pan law, a voice in the middle being as loud on both sides as `gain`.

    Parameters
    ----------
    offsets
        Where each voice stands, from -1 to 1 ``[voices]``.
    spread, gain
        At every tick ``[ticks + 1]``; a spread of 1 reaches the sides.
    """
    left = np.empty((len(offsets), len(spread)))
    right = np.empty_like(left)
    for o in range(len(offsets)):
        for k in range(len(spread)):
            angle = (1.0 + offsets[o] * spread[k]) * (math.pi / 4.0)
            left[o, k] = math.sqrt(2.0) * math.cos(angle) * gain[k]
            right[o, k] = math.sqrt(2.0) * math.sin(angle) * gain[k]
    return left, right


class InUnison(Source):
    """A source with `caligo.sources.common.unison_parameters`.

    Subclasses render each of the voices in `render_each`; with a unison of one that is all.
    """

    def __init__(self, *args: object) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self._offsets, self._intervals = unison(self.part)
        self._detune = self.movement.track(f"{self.path}.detune")
        self._spread = self.movement.track(f"{self.path}.spread")

    def render_each(self, block: Block, out: NDArray[np.float32]) -> None:
        """Write voices to `out` ``[voices, 2, samples]``, which is zero."""
        raise NotImplementedError

    def render(self, block: Block, out: NDArray[np.float32]) -> None:
        """See `Source.render`."""
        count = len(self._offsets)
        if count == 1 and self._intervals[0] == 0.0:
            self.render_each(block, out)
            return
        inner = self._multiplied(block)
        voices = np.zeros((len(inner.voices), 2, block.span.samples), np.float32)
        self.render_each(inner, voices)
        spread = self._spread.values(block.frame) / 100.0
        even = np.full(block.span.ticks + 1, 1.0 / math.sqrt(count))
        for row in range(len(block.voices)):
            # Stereo voices keep their sides and lean to one of them.
            left, right = placed(self._offsets, spread[row], even)
            for o in range(count):
                at = row * count + o
                _add_placed(voices[at], left[o], right[o], out[row])
                if block.past is not None and inner.past is not None:
                    _add_placed(inner.past[at], left[o], right[o], block.past[row])

    def _multiplied(self, block: Block) -> Block:
        """The block with a voice for each of the unison's."""
        count = len(self._offsets)
        frame = block.frame

        def more(found: Frame) -> Frame:
            return Frame(found.times, _repeated(found.notes, count), found.newest, found.started)

        def course(found: Frame, row: int) -> Floats:
            cents = self._detune.values(found)[row] * self._offsets[:, None]
            octaves: Floats = (cents + self._intervals[:, None]) / 1200.0
            return octaves

        history: History = block.history

        def history_of(row: int, first: int, ticks: int, stride: int = 1) -> tuple[Frame, Floats]:
            found, pitch = history(row // count, first, ticks, stride)
            return found, pitch + course(found, 0)[row % count][None, :]

        steady: Callable[[int], bool] = block.steady
        return Block(
            block.span,
            [
                replace(
                    voice,
                    name=f"{voice.name}/{o}",
                    seed=derive(voice.seed, o),
                )
                for voice in block.voices
                for o in range(count)
            ],
            more(frame),
            np.concatenate(
                [block.pitch[row][None, :] + course(frame, row) for row in range(len(block.voices))]
            ),
            history_of,
            lambda row: steady(row // count) and not self._detune.moved,
            np.zeros((len(block.voices) * count, 2, block.span.samples), np.float32)
            if block.past is not None
            else None,
            block.rough,
        )
