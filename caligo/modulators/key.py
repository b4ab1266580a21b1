"""How high each note lies, as a modulator."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Display, Kind, Module, Moves, Parameter, register
from caligo.movement.modulator import Modulator
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats


@register(
    Module(
        family="modulator",
        kind="key",
        name="Key",
        help="How far each note lies above or below a centre key.",
        category="Notes",
        parameters=(
            Parameter(
                "centre",
                "Centre",
                "The key at which it does nothing.",
                low=0,
                high=127,
                default=60,
                kind=Kind.INTEGER,
                moves=Moves.PER_NOTE,
                display=Display.NOTE,
            ),
            Parameter(
                "span",
                "Span",
                "Semitones from the centre to full depth.",
                unit="st",
                low=1,
                high=96,
                default=36,
                kind=Kind.INTEGER,
                moves=Moves.PER_NOTE,
            ),
        ),
    )
)
class Key(Modulator):
    """A note's key, from -1 to 1 around a centre."""

    always_per_note = True

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        centre = self.trajectory("centre").compact(moments)
        span = self.trajectory("span").compact(moments)
        away = np.clip((moments.notes.key[:, None] - centre) / span, -1.0, 1.0)
        return np.broadcast_to(away, (len(moments.notes), len(moments.times))).copy()
