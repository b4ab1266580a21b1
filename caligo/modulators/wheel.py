"""The modulation wheel, as a modulator."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.modulator import Modulator
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats

WHEEL_CONTROLLER = 1
"""Controller number of the modulation wheel (MIDI 1.0 specification)."""


@register(
    Module(
        family="modulator",
        kind="wheel",
        name="Wheel",
        help="The modulation wheel, as the score's lane draws it.",
        category="Controls",
        parameters=(
            Parameter(
                "rest",
                "Rest",
                "Where it stands while no lane is drawn.",
                unit="%",
                high=100.0,
                moves=Moves.PER_NOTE,
            ),
        ),
    )
)
class Wheel(Modulator):
    """The modulation wheel (controller 1), from 0 to 1."""

    bipolar = False

    @classmethod
    def lanes(cls, part: ModulatorPart) -> set[int]:
        """See `Modulator.lanes`."""
        return {WHEEL_CONTROLLER}

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [0, 1]."""
        points = sorted(
            (point.time, point.value)
            for lane in self.setting.score.lanes
            if lane.controller == WHEEL_CONTROLLER
            for point in lane.points
        )
        shape = (len(moments.notes), len(moments.times))
        if not points:
            rest = self.trajectory("rest").compact(moments) / 100.0
            return np.broadcast_to(rest, shape).copy()
        row = np.interp(moments.times, [t for t, _ in points], [v for _, v in points])
        return np.broadcast_to(row, shape).copy()
