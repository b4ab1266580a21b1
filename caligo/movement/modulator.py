"""What every modulator is: a function from (document, note, time) to a value."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from caligo.document.score import Score
from caligo.document.sound import Modulator as ModulatorPart
from caligo.document.tempo import TempoMap
from caligo.movement.chance import derive, text_seed
from caligo.movement.notes import Floats, Notes


@dataclass(frozen=True, slots=True)
class Setting:
    """What modulators know of the sound and the score around them."""

    seed: int
    pace: float
    score: Score
    tempo: TempoMap


class Modulator:
    """A source of movement. Subclasses give `values`; nothing is remembered between calls.

    Attributes
    ----------
    bipolar
        Whether the values lie in [-1, 1]; otherwise they lie in [0, 1].
    always_per_note
        Whether the modulator only makes sense for each note on its own.
    """

    bipolar: ClassVar[bool] = True
    always_per_note: ClassVar[bool] = False

    def __init__(self, part: ModulatorPart, setting: Setting) -> None:
        self.part = part
        self.setting = setting
        self.seed = derive(setting.seed, derive(part.seed, text_seed(part.id)))

    @property
    def per_note(self) -> bool:
        """Whether each note has a course of its own."""
        return self.always_per_note or self.part.scope == "note"

    def values(self, times: Floats, notes: Notes) -> Floats:
        """The modulator's course ``[notes, times]``; times in seconds."""
        raise NotImplementedError
