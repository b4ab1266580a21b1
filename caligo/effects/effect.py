"""What every effect is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import EffectPart
from caligo.movement.block import Span
from caligo.movement.routes import Frame, Movement

Memory = dict[str, NDArray[np.generic]]
"""An effect's memory: arrays by name, copied as they are to remember a moment."""


class Effect:
    """An effect on a stereo signal. All that it remembers is in `memory`."""

    def __init__(self, part: EffectPart, path: str, movement: Movement, rate: int) -> None:
        self.part = part
        self.path = path
        self.movement = movement
        self.rate = rate
        self.memory: Memory = self.silence()

    def silence(self) -> Memory:
        """The memory of an effect that has heard nothing yet."""
        raise NotImplementedError

    def process(self, span: Span, frame: Frame, signal: NDArray[np.float32]) -> None:
        """Change `signal` ``[2, samples]`` in place."""
        raise NotImplementedError

    def fading(self) -> float:
        """Seconds after which what it remembers has fallen by 60 dB or more."""
        raise NotImplementedError
