"""What effects that sway share: a period, as a function of time."""

from __future__ import annotations

from caligo.document.sound import EffectPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.processing.effect import Effect


class EffectLFO(Effect):
    """An effect with a ``period``; it goes with the pace where it has that switch and it is on."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        paced = bool(part.params.get("paced", False))
        self._cycles = movement.cycles(f"{address}.period", paced=paced)

    def cycles(self, block: Block) -> Floats:
        """Cycles since the start of the cue at every tick ``[ticks + 1]``."""
        found: Floats = self._cycles.at(block.moments.of(self.cue))[0]
        return found
