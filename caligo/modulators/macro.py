"""The macro: one handle that moves many parameters, each by a depth of its own."""

from __future__ import annotations

from caligo.catalogue import Kind, Module, Moves, Parameter, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.controls import Control


@register(
    Module(
        family="modulator",
        kind="macro",
        editor="handle",
        name="Macro",
        help="A handle of your own that moves many parameters, each as far as you say.",
        category="Controls",
        parameters=(
            Parameter(
                "value",
                "Value",
                "Where the handle stands.",
                unit="%",
                high=100.0,
                default=0.0,
                moves=Moves.PER_NOTE,
            ),
            Parameter(
                "controller",
                "MIDI controller",
                "The controller of the score that moves the handle; -1 for none.",
                low=-1,
                high=119,
                default=-1,
                kind=Kind.INTEGER,
            ),
        ),
    )
)
class Macro(Control):
    """A handle, from 0 to 1; a lane that is drawn for its value, or a controller, moves it."""

    resting = "value"

    @classmethod
    def controller(cls, part: ModulatorPart) -> int:
        """See `Control.controller`."""
        return int(part.number("controller"))
