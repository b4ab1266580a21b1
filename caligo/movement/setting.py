"""What surrounds the modulators of a sound: its seed, and the score with its tempo."""

from __future__ import annotations

from dataclasses import dataclass

from caligo.document.score import Score
from caligo.document.tempo import TempoMap


@dataclass(frozen=True, slots=True)
class Setting:
    """What modulators know of the sound and the score around them."""

    seed: int
    score: Score
    tempo: TempoMap
