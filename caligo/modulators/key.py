"""How high each note lies, as a modulator."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Choice, Display, Kind, Module, Moves, Parameter, register
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
                "response",
                "Response",
                "A line around a centre, or points of your own.",
                default="line",
                kind=Kind.CHOICE,
                choices=(Choice("line", "Line"), Choice("points", "Points")),
            ),
            Parameter(
                "keys",
                "Keys",
                "The key of each point, as a MIDI number.",
                low=0.0,
                high=127.0,
                default="24 60 96",
                kind=Kind.NUMBERS,
                when=("response", ("points",)),
            ),
            Parameter(
                "values",
                "Values",
                "What it gives at each point; between them it goes in lines.",
                unit="%",
                low=-100.0,
                high=100.0,
                default="-100 0 100",
                kind=Kind.NUMBERS,
                when=("response", ("points",)),
            ),
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
                when=("response", ("line",)),
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
                when=("response", ("line",)),
            ),
        ),
    )
)
class Key(Modulator):
    """A note's key, from -1 to 1 around a centre."""

    always_per_note = True

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        if self.part.text("response") == "points":
            return self._between_points(moments)
        centre = self.trajectory("centre").compact(moments)
        span = self.trajectory("span").compact(moments)
        away = np.clip((moments.notes.key[:, None] - centre) / span, -1.0, 1.0)
        return np.broadcast_to(away, (len(moments.notes), len(moments.times))).copy()

    def _between_points(self, moments: Moments) -> Floats:
        points = sorted(zip(self.part.numbers("keys"), self.part.numbers("values"), strict=False))
        if not points:
            return np.zeros((len(moments.notes), len(moments.times)))
        row = np.interp(moments.notes.key, [k for k, _ in points], [v for _, v in points]) / 100.0
        return np.repeat(row[:, None], len(moments.times), axis=1)
