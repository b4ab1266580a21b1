"""The pitch bend, as a modulator."""

from __future__ import annotations

from caligo.catalogue import Module, register
from caligo.document.score import BEND
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.controls import Control, rest_parameter
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats


@register(
    Module(
        family="modulator",
        kind="pitch_bend",
        name="Pitch bend",
        help="The bend, from full down to full up, as the score's lane draws it.",
        category="Controls",
        parameters=(rest_parameter(50.0),),
    )
)
class PitchBend(Control):
    """Pitch bend change (MIDI 1.0 specification), from -1 to 1."""

    bipolar = True

    @classmethod
    def controller(cls, part: ModulatorPart) -> int:
        """See `Control.controller`."""
        return BEND

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        return 2.0 * super().values(moments) - 1.0
