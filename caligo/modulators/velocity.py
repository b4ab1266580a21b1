"""How hard each note was played, as a modulator."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, register
from caligo.movement.curvature import curved
from caligo.movement.modulator import Modulator
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats


@register(
    Module(
        family="modulator",
        kind="velocity",
        name="Velocity",
        help="How hard each note was played.",
        category="Notes",
        parameters=(
            Parameter(
                "bend",
                "Bend",
                "Above zero answers early, below zero late.",
                unit="%",
                low=-100.0,
                high=100.0,
                moves=Moves.PER_NOTE,
            ),
        ),
    )
)
class Velocity(Modulator):
    """A note's velocity, from 0 to 1."""

    bipolar = False
    always_per_note = True

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [0, 1]."""
        curvatures = 0.04 * self.trajectory("bend").at_starts(moments)
        pairs = zip(moments.notes.velocity, curvatures, strict=True)
        row = np.array([curved(float(v), float(bend)) for v, bend in pairs])
        return np.repeat(row[:, None], len(moments.times), axis=1)
