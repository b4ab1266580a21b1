"""Pressure on held keys (aftertouch), as a modulator."""

from __future__ import annotations

from caligo.catalogue import Module, register
from caligo.document.score import PRESSURE
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.controls import Control, rest_parameter


@register(
    Module(
        family="modulator",
        kind="pressure",
        name="Pressure",
        help="Pressure on the held keys (aftertouch), as the score's lane draws it.",
        category="Controls",
        parameters=(rest_parameter(),),
    )
)
class Pressure(Control):
    """Channel pressure (MIDI 1.0 specification), from 0 to 1."""

    @classmethod
    def controller(cls, part: ModulatorPart) -> int:
        """See `Control.controller`."""
        return PRESSURE
