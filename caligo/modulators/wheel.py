"""The modulation wheel, as a modulator."""

from __future__ import annotations

from caligo.catalogue import Module, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.controls import Control, rest_parameter

WHEEL_CONTROLLER = 1
"""Controller number of the modulation wheel (MIDI 1.0 specification)."""


@register(
    Module(
        family="modulator",
        kind="wheel",
        name="Wheel",
        help="The modulation wheel, as the score's lane draws it.",
        category="Controls",
        parameters=(rest_parameter(),),
    )
)
class Wheel(Control):
    """The modulation wheel (controller 1), from 0 to 1."""

    @classmethod
    def controller(cls, part: ModulatorPart) -> int:
        """See `Control.controller`."""
        return WHEEL_CONTROLLER
