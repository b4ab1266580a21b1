"""The curve: points with bends over a length, once or with a part that comes round."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.lane import lane_values
from caligo.movement.modulator import RUNS_ONCE, Surroundings
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.periodic import Periodic
from caligo.movement.periods import paced_parameter, period_parameter

MOST = 64
SHORTEST = 0.01
"""The shortest part that comes round, as a fraction of the length."""


def _list(key: str, name: str, help: str, low: float, default: str) -> Parameter:
    return Parameter(
        key,
        name,
        help,
        unit="%",
        low=low,
        high=100.0,
        default=default,
        kind=Kind.NUMBERS,
        most=MOST,
        group="Points",
    )


def _percentage(key: str, name: str, help: str, default: float) -> Parameter:
    return Parameter(
        key,
        name,
        help,
        unit="%",
        high=100.0,
        default=default,
        moves=Moves.PER_NOTE,
        when=("runs", ("round",)),
        group="Time",
    )


@register(
    Module(
        family="modulator",
        kind="curve",
        editor="points",
        name="Curve",
        help="A course of your own over a length, the held note or the cue; once, or round again.",
        category="Cycles",
        parameters=(
            period_parameter("Its length; 1 hold is the held note, or the whole cue.", 60.0),
            paced_parameter(),
            Parameter(
                "runs",
                "Runs",
                "Once and then it stays, or a part of it round and round.",
                default="once",
                kind=Kind.CHOICE,
                choices=(Choice("once", "Once"), Choice("round", "Round again")),
                group="Time",
            ),
            _percentage("loop_from", "Round from", "Where the part that comes round begins.", 0.0),
            _percentage("loop_to", "Round to", "Where the part that comes round ends.", 100.0),
            _list("at", "Moments", "When each point is reached.", 0.0, "0 40 70 100"),
            _list("values", "Values", "The value of each point.", -100.0, "-100 60 20 -60"),
            _list("bends", "Bends", "How early or late each way to the next point goes.",
                  -100.0, "-30 20 0 0"),
        ),
    )
)  # fmt: skip
class Curve(Periodic):
    """A drawn curve; one for the whole sound, or begun by each note."""

    uses_length = True

    def __init__(self, part: ModulatorPart, movement: Surroundings) -> None:
        super().__init__(part, movement)
        at, values, curvatures = (part.numbers(key) for key in ("at", "values", "bends"))
        # Numbers without a moment, and moments without a number, are no points yet.
        count = min(len(at), len(values)) or 1
        order = np.argsort((at or [0.0])[:count], kind="stable")
        curvatures = (curvatures + [0.0] * count)[:count]
        self._at = np.array((at or [0.0])[:count])[order] / 100.0
        self._values = np.array((values or [0.0])[:count])[order] / 100.0
        self._bends = np.array(curvatures)[order] / 100.0

    @classmethod
    def turn(cls, part: ModulatorPart) -> Fraction | str:
        """See `Modulator.turn`."""
        if part.text("runs") == "once":
            return RUNS_ONCE
        fraction = part.number("loop_to") - part.number("loop_from")
        return Fraction(str(max(fraction, 100.0 * SHORTEST))) / 100

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        passed = self.cycles.at(moments)
        if self.part.text("runs") == "round":
            begin = self.fraction(moments, "loop_from")
            end = self.fraction(moments, "loop_to")
            span = np.maximum(end - begin, SHORTEST)
            passed = np.where(passed > begin, begin + np.mod(passed - begin, span), passed)
        out = np.empty_like(passed)
        for row in range(len(passed)):
            lane_values(self._at, self._values, self._bends, passed[row], out[row])
        return out
