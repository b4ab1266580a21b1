"""What the player does: velocity, key and the modulation wheel as modulators."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Kind, Module, Parameter, register
from caligo.movement.envelope import bent
from caligo.movement.modulator import Modulator
from caligo.movement.notes import Floats, Notes

WHEEL_CONTROLLER = 1
"""Controller number of the modulation wheel (MIDI 1.0 specification)."""


@register(
    Module(
        family="modulator",
        kind="velocity",
        name="Velocity",
        help="How hard each note was played.",
        parameters=(
            Parameter(
                "bend",
                "Bend",
                "Above zero answers early, below zero late.",
                unit="%",
                low=-100.0,
                high=100.0,
            ),
        ),
    )
)
class Velocity(Modulator):
    """A note's velocity, from 0 to 1."""

    bipolar = False
    always_per_note = True

    def values(self, times: Floats, notes: Notes) -> Floats:
        """See `Modulator.values`; in [0, 1]."""
        bend = 0.04 * self.part.number("bend")
        row = np.array([bent(float(v), bend) for v in notes.velocity])
        return np.repeat(row[:, None], len(times), axis=1)


@register(
    Module(
        family="modulator",
        kind="key",
        name="Key",
        help="How far each note lies above or below a centre key.",
        parameters=(
            Parameter(
                "centre",
                "Centre",
                "The key at which it does nothing.",
                low=0,
                high=127,
                default=60,
                kind=Kind.INTEGER,
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
            ),
        ),
    )
)
class Key(Modulator):
    """A note's key, from -1 to 1 around a centre."""

    always_per_note = True

    def values(self, times: Floats, notes: Notes) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        away = (notes.key - self.part.number("centre")) / self.part.number("span")
        return np.repeat(np.clip(away, -1.0, 1.0)[:, None], len(times), axis=1)


@register(
    Module(
        family="modulator",
        kind="wheel",
        name="Wheel",
        help="The modulation wheel, as the score's lane draws it.",
        parameters=(
            Parameter(
                "rest", "Rest", "Where it stands while no lane is drawn.", unit="%", high=100.0
            ),
        ),
    )
)
class Wheel(Modulator):
    """The modulation wheel (controller 1), from 0 to 1."""

    bipolar = False

    def values(self, times: Floats, notes: Notes) -> Floats:
        """See `Modulator.values`; in [0, 1]."""
        points = sorted(
            (point.time, point.value)
            for lane in self.setting.score.lanes
            if lane.controller == WHEEL_CONTROLLER
            for point in lane.points
        )
        if points:
            row = np.interp(times, [t for t, _ in points], [v for _, v in points])
        else:
            row = np.full(len(times), self.part.number("rest") / 100.0)
        return np.repeat(row[None, :], len(notes), axis=0)
