"""The state of an open sound: what is heard and drawn."""

from __future__ import annotations

from dataclasses import dataclass

from caligo.document import Score, Sound
from caligo.movement.hold_still import HoldStill


@dataclass(frozen=True, slots=True)
class OpenSound:
    """A sound with its score as they were saved, and how still its movement is held.

    Attributes
    ----------
    revision : int
        Sum of the revisions of sound and score: it grows with every edit of either.
    """

    sound: Sound
    score: Score
    revision: int
    hold_still: HoldStill = False

    @property
    def drawn(self) -> tuple[Sound, Score, int, HoldStill]:
        """Arguments of the tasks that draw it, see `studio.live.drawing`."""
        return self.sound, self.score, self.revision, self.hold_still
