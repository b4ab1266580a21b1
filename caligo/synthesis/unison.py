"""Unison for sources that render one pitch at a time: each note becomes several voices."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from caligo.movement.block import History, SourceBlock
from caligo.movement.chance import derive
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats, Notes
from caligo.signal.pan import add_placed, placed
from caligo.synthesis.source import Source
from caligo.synthesis.unison_tuning import UnisonTuning


def _repeated(notes: Notes, times: int) -> Notes:
    """Each note several times over."""
    return notes.pick([row for row in range(len(notes)) for _ in range(times)])


class InUnison(Source):
    """A source with `caligo.synthesis.common.unison_parameters`.

    Subclasses render each of the voices in `render_each`; with a unison of one that is all.
    """

    def __init__(self, *args: object) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self._unison = UnisonTuning(self.part, self.seed, self.movement, self.path)
        self._offsets, self._intervals = self._unison.offsets, self._unison.intervals
        self._spread = self.movement.trajectory(f"{self.path}.spread")

    @property
    def alone(self) -> bool:
        """Whether the unison is of one voice, at the note's own pitch."""
        return self._unison.alone

    def render_each(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """Write voices to `out` ``[voices, 2, samples]``, which is zero."""
        raise NotImplementedError

    def render(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `Source.render`."""
        count = len(self._offsets)
        if self.alone:
            self.render_each(block, out)
            return
        inner = self._multiplied(block)
        voices = np.zeros((len(inner.voices), 2, block.span.samples), np.float32)
        self.render_each(inner, voices)
        spread = self._spread.values(block.moments) / 100.0
        even = np.full(block.span.ticks + 1, 1.0 / math.sqrt(count))
        for row in range(len(block.voices)):
            # Stereo voices keep their channels and lean to one of them.
            left, right = placed(self._offsets, spread[row], even)
            for o in range(count):
                at = row * count + o
                add_placed(voices[at], left[o], right[o], out[row])
                if block.unfiltered is not None and inner.unfiltered is not None:
                    add_placed(inner.unfiltered[at], left[o], right[o], block.unfiltered[row])

    def _multiplied(self, block: SourceBlock) -> SourceBlock:
        """The block with a voice for each of the unison's."""
        count, tuning = len(self._offsets), self._unison
        moments = block.moments

        def more(found: Moments) -> Moments:
            return found.of(_repeated(found.notes, count))

        def apart(found: Moments, row: int, which: slice) -> Floats:
            """Octaves by which oscillators are apart from their voice ``[oscillators, times]``."""
            cents = tuning.detune.values(found)[row] * self._offsets[which, None]
            octaves: Floats = (cents + self._intervals[which, None]) / 1200.0
            return octaves

        history: History = block.history

        def history_of(row: int, first: int, ticks: int, stride: int = 1) -> tuple[Moments, Floats]:
            found, pitch = history(row // count, first, ticks, stride)
            own = row % count
            pitch = pitch + apart(found, 0, slice(own, own + 1))
            return found, strayed(pitch, row // count, found, 0, own)

        seeds = [voice.seed for voice in block.voices]

        def strayed(
            pitch: Floats, voice: int, found: Moments, row: int, one: int | None = None
        ) -> Floats:
            if not tuning.drifts:
                return pitch
            own: Floats = pitch + np.log2(1.0 + tuning.pace(seeds[voice], found, row, one))
            return own

        def ahead(row: int, times: Floats) -> Floats:
            found: Floats = tuning.ahead(seeds[row // count], times, row % count)[0]
            return found

        resting = [
            block.pitch[row][None, :] + apart(moments, row, slice(None))
            for row in range(len(block.voices))
        ]
        steady: Callable[[int], bool] = block.steady
        highest: Callable[[int], float] = block.highest
        most = max(abs(x) for x in tuning.detune.reach())

        def highest_of(row: int) -> float:
            cents = most * abs(float(self._offsets[row % count])) + self._intervals[row % count]
            return highest(row // count) + float(cents) / 1200.0 + tuning.most

        return SourceBlock(
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
            more(moments),
            np.concatenate(
                [strayed(pitch, row, moments, row) for row, pitch in enumerate(resting)]
            ),
            history_of,
            lambda row: steady(row // count) and not tuning.moved,
            highest_of,
            np.zeros((len(block.voices) * count, 2, block.span.samples), np.float32)
            if block.unfiltered is not None
            else None,
            block.preview,
            ahead if tuning.drifts and not tuning.moved else None,
            np.concatenate(resting),
        )
