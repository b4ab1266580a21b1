"""A block: the control ticks that are computed at once, and the voices in them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from caligo.document.pitch import MIDDLE_C_OCTAVES
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.voices import Voice
from caligo.signal.ticks import Span

STEREO = ""
"""The name of the one stream of a signal that is no longer made of voices."""


class History(Protocol):
    """See `SourceBlock.history`."""

    def __call__(self, row: int, first: int, ticks: int, stride: int = 1) -> tuple[Moments, Floats]:
        """The moments and pitch of a voice at every `stride`-th of `ticks` ticks, and the end."""


@dataclass(frozen=True, slots=True)
class Block:
    """What a filter or effect is asked to process.

    Parameters
    ----------
    voices
        The voices that the signal's streams are; none where it is the one stream of a bus.
    moments
        The block's moments and notes, for the values of parameters.
    pitch
        Octaves over 1 Hz at every tick ``[streams, ticks + 1]``; middle C where there are no
        voices.
    heard_from
        Where a rough picture begins in the middle: the moment that signals were rendered from, in
        seconds. An effect whose tail is longer makes up for the level that it lacks.
    """

    span: Span
    voices: Sequence[Voice]
    moments: Moments
    pitch: Floats
    heard_from: float = field(default=-math.inf, kw_only=True)

    @property
    def streams(self) -> tuple[str, ...]:
        """The names of the signal's streams, in order: what a state is kept under."""
        return tuple(voice.name for voice in self.voices) or (STEREO,)

    @property
    def heard(self) -> float:
        """Seconds that have been heard up to its middle; infinite but in a rough picture."""
        if self.heard_from == -math.inf:
            return math.inf
        return 0.5 * float(self.span.times[0] + self.span.times[-1]) - self.heard_from


def stereo_block(span: Span, moments: Moments, heard_from: float = -math.inf) -> Block:
    """The block of a signal that is no longer made of voices."""
    pitch = np.full((1, span.ticks + 1), MIDDLE_C_OCTAVES)
    return Block(span, (), moments, pitch, heard_from=heard_from)


@dataclass(frozen=True, slots=True)
class SourceBlock(Block):
    """What a source is asked to render.

    Parameters
    ----------
    history
        ``history(row, first, ticks, stride)``: the moments and pitch of one voice at every
        `stride`-th tick of another span, for what has to be added up since the voice began.
    steady
        ``steady(row)``: whether a voice keeps the pitch it begins with.
    highest
        ``highest(row)``: octaves over 1 Hz that a voice's pitch never passes.
    unfiltered
        Where a source may write what goes around the layer's filters ``[voices, 2, samples]``.
    ahead
        ``ahead(row, times)``: seconds by which a voice's own clock is ahead, where the voices of a
        unison drift from their tuning; `pitch` and `history` tell how fast it runs.
    resting
        Their pitch without that, in octaves over 1 Hz ``[voices, ticks + 1]``.
    preview
        Whether phases do not matter: what has to be added up since a voice began may be left
        out. The first, preview is made so.
    """

    history: History
    steady: Callable[[int], bool]
    highest: Callable[[int], float]
    unfiltered: NDArray[np.float32] | None = None
    preview: bool = False
    ahead: Callable[[int, Floats], Floats] | None = None
    resting: Floats | None = None
