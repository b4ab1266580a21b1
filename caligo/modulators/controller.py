"""Any other controller of the score, as a modulator."""

from __future__ import annotations

from caligo.catalogue import Kind, Module, Parameter, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.controls import Control, rest_parameter


@register(
    Module(
        family="modulator",
        kind="controller",
        name="Controller",
        help="A MIDI controller by its number, as the score's lane draws it.",
        category="Controls",
        parameters=(
            Parameter(
                "number",
                "Number",
                "Which controller: 1 is the wheel, 2 breath, 11 expression.",
                low=0,
                high=119,
                default=11,
                kind=Kind.INTEGER,
            ),
            rest_parameter(),
        ),
    )
)
class Controller(Control):
    """A controller (MIDI 1.0 specification), from 0 to 1."""

    @classmethod
    def controller(cls, part: ModulatorPart) -> int:
        """See `Control.controller`."""
        return int(part.number("number"))
