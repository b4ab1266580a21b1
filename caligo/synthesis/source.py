"""What every source is."""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import SourcePart
from caligo.movement.block import SourceBlock
from caligo.movement.movement import Movement
from caligo.synthesis.portrait import Portrait, Shown

VOICE_RMS = 0.07
"""Root mean square of one voice at level 0 dB (-23 dBFS): room for chords and resonance."""
VOICE_LOUDNESS = -21.0
"""LUFS of a recording at level 0 dB (ITU-R BS.1770): within 2 LU of waves at `VOICE_RMS` on both
channels."""


class Source:
    """A layer's material. Subclasses render voices as a function of time.

    A source keeps nothing that its output depends on; it may keep what it could compute again.

    Attributes
    ----------
    has_unfiltered
        Whether some of it may go past the layer's filters, to `SourceBlock.past`.
    makes_offset
        Whether it may hold direct current, which the layer then loses.
    """

    has_unfiltered: bool = False
    makes_offset: ClassVar[bool] = True

    def __init__(
        self, part: SourcePart, path: str, movement: Movement, rate: int, seed: int
    ) -> None:
        self.part = part
        self.path = path
        self.movement = movement
        self.rate = rate
        self.seed = seed

    def save_state(self) -> dict[str, Any]:
        """A copy of what the source has added up and could add up again, by voice."""
        return {}

    def restore_state(self, state: dict[str, Any]) -> None:
        """Go on from what another source of this layer has added up.

        After an edit while listening, phases go on from where they were, as an instrument's
        would, instead of being added up anew from each note's start.
        """

    def prepare(self) -> None:
        """Derive anew what depends on resting values, after some were edited while listening.

        What was computed ahead of now is dropped.
        """

    def tail(self) -> float:
        """Seconds of preroll that the source needs; most are functions of time and need none."""
        return 0.0

    def picture(self, portrait: Portrait) -> Shown:
        """What the source's picture shows of it, where that is no spectrum."""
        return {}

    def close_up(self, block: SourceBlock) -> Shown:
        """What the picture shows of the last seconds, where it looks closer at them."""
        return {}

    def render(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """Write the block's voices to `out` ``[voices, 2, samples]``, which is zero."""
        raise NotImplementedError
