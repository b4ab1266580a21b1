"""What surrounds the modulators of a sound: its seed, and the score with its tempo."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass, replace

from caligo.document.score import Score
from caligo.document.tempo import TempoMap


@dataclass(frozen=True, slots=True)
class Setting:
    """What modulators know of the sound and the score around them."""

    seed: int
    score: Score
    tempo: TempoMap

    def with_lanes(self, controllers: Set[int]) -> Setting:
        """The same without the score's lanes of other controllers."""
        lanes = [lane for lane in self.score.lanes if lane.controller in controllers]
        if len(lanes) == len(self.score.lanes):
            return self
        return replace(self, score=self.score.model_copy(update={"lanes": lanes}))
