"""The band-pass: up to five equal stages, which make droplets of noise."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Kind, Module, Parameter, register
from caligo.document.sound import FilterPart
from caligo.movement.movement import Movement
from caligo.processing.cutoff import (
    Floats,
    cutoff_parameter,
    highest_quality,
    key_follow_parameter,
    mix_parameter,
    narrowing,
    quality,
    spread_cutoffs,
    spread_parameter,
    width_parameter,
)
from caligo.processing.drive import drive_parameters
from caligo.processing.feedback import feedback_parameters
from caligo.processing.matching import band_gains, even_parameter, matched_band
from caligo.processing.sections import SectionFilter, Values
from caligo.signal.matched import BANDPASS

MOST_STAGES = 5


@register(
    Module(
        family="filter",
        kind="bandpass",
        name="Band-pass",
        help="Lets a band around the cutoff pass; narrow, with all stages, noise becomes droplets.",
        category="Bands",
        parameters=(
            cutoff_parameter(800.0, "Middle of the band that passes, at its full level."),
            width_parameter(1.0, 4.0),
            Parameter(
                "stages",
                "Stages",
                "How many filters stand one behind the other: the slopes get steeper by 6 dB each.",
                low=1,
                high=MOST_STAGES,
                default=1,
                kind=Kind.INTEGER,
                group="Cut",
            ),
            even_parameter(
                None,
                "Makes up for what the band leaves out, as pink noise tells it, by 18 dB at most.",
            ),
            key_follow_parameter(),
            spread_parameter(),
            *drive_parameters(),
            *feedback_parameters(),
            mix_parameter(),
        ),
    )
)
class Bandpass(SectionFilter):
    """Stages whose band together is as wide as the parameter says."""

    keys = ("width", "spread")
    shape = BANDPASS

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._matching = band_gains(self.sections()) if part.switch("even") else None

    def compensation(self, hertz: Floats, values: Values) -> Floats | None:
        """See `SectionFilter.compensation`."""
        if self._matching is None:
            return None
        return matched_band(self._matching, values["width"], hertz)

    def sections(self) -> int:
        """See `SectionFilter.sections`."""
        return int(self.part.number("stages"))

    def cutoffs(self, hertz: Floats, values: Values) -> Floats:
        """See `SectionFilter.cutoffs`."""
        return np.repeat(spread_cutoffs(hertz, values["spread"])[:, None], self.sections(), axis=1)

    def damping(self, values: Values) -> Floats:
        """See `SectionFilter.damping`."""
        return 1.0 / (quality(values["width"]) * narrowing(self.sections()))

    def widest_quality(self) -> float:
        """See `SectionFilter.widest_quality`."""
        return highest_quality(self.trajectories["width"]) * narrowing(self.sections())
