"""The peak: a bell that lifts or lowers a band."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.processing.cutoff import (
    Floats,
    cutoff_parameter,
    highest_quality,
    key_follow_parameter,
    mix_parameter,
    quality,
    spread_cutoffs,
    spread_parameter,
    width_parameter,
)
from caligo.processing.drive import drive_parameters
from caligo.processing.feedback import feedback_parameters
from caligo.processing.sections import SectionFilter, Values
from caligo.signal.matched import BELL


@register(
    Module(
        family="filter",
        kind="peak",
        name="Peak",
        help="Lifts or lowers a band and leaves the rest.",
        category="Bands",
        parameters=(
            cutoff_parameter(1_000.0, "Middle of the band."),
            Parameter(
                "gain",
                "Gain",
                "How far the middle is lifted or lowered.",
                unit="dB",
                low=-36.0,
                high=36.0,
                default=12.0,
                scale=Scale.DECIBEL,
                moves=Moves.PER_NOTE,
                group="Cut",
            ),
            width_parameter(0.5, 4.0),
            key_follow_parameter(),
            spread_parameter(),
            *drive_parameters(),
            *feedback_parameters(),
            mix_parameter(),
        ),
    )
)
class Peak(SectionFilter):
    """One bell: the cookbook's peaking filter, ``(s^2 + s A/Q + 1) / (s^2 + s/(A Q) + 1)``."""

    keys = ("gain", "width", "spread")
    shape = BELL

    def sections(self) -> int:
        """See `SectionFilter.sections`."""
        return 1

    def cutoffs(self, hertz: Floats, values: Values) -> Floats:
        """See `SectionFilter.cutoffs`."""
        return spread_cutoffs(hertz, values["spread"])[:, None]

    def damping(self, values: Values) -> Floats:
        """See `SectionFilter.damping`."""
        return 1.0 / quality(values["width"])

    def gain(self, values: Values) -> Floats:
        """See `SectionFilter.gain`: A of half the decibels."""
        found: Floats = 10.0 ** (values["gain"] / 40.0)
        return found

    def highest_gain(self, values: Values) -> Floats:
        """See `SectionFilter.highest_gain`."""
        found: Floats = np.maximum(1.0, 10.0 ** (values["gain"] / 20.0))
        return found

    def widest_quality(self) -> float:
        """See `SectionFilter.widest_quality`."""
        lifted: float = 10.0 ** (max(0.0, self.trajectories["gain"].reach()[1]) / 40.0)
        return highest_quality(self.trajectories["width"]) * lifted
