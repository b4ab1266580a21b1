"""Controls that a score draws as lanes: wheel, pressure, pitch bend and any other controller."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Moves, Parameter
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.modulator import Modulator
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats


def rest_parameter(default: float = 0.0) -> Parameter:
    """Where a control stands while the score has no lane for it."""
    return Parameter(
        "rest",
        "Rest",
        "Where it stands while no lane is drawn.",
        unit="%",
        high=100.0,
        default=default,
        moves=Moves.PER_NOTE,
    )


class Control(Modulator):
    """A modulator that follows one controller of the score; subclasses say which."""

    bipolar = False
    resting = "rest"
    """The parameter that says where it stands without a lane."""

    @classmethod
    def controller(cls, part: ModulatorPart) -> int:
        """The number of the controller, below zero where there is none."""
        raise NotImplementedError

    @classmethod
    def lanes(cls, part: ModulatorPart) -> set[int]:
        """See `Modulator.lanes`."""
        return {cls.controller(part)} - {-1}

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [0, 1]."""
        number = self.controller(self.part)
        points = sorted(
            (point.time, point.value)
            for lane in self.setting.score.lanes
            if lane.controller == number
            for point in lane.points
        )
        shape = (len(moments.notes), len(moments.times))
        if not points:
            rest = self.trajectory(self.resting).compact(moments) / 100.0
            return np.broadcast_to(rest, shape).copy()
        row = np.interp(moments.times, [t for t, _ in points], [v for _, v in points])
        return np.broadcast_to(row, shape).copy()
