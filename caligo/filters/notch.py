"""The notch: two narrow gaps that may part."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, register
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
from caligo.signal.matched import NOTCH


@register(
    Module(
        family="filter",
        kind="notch",
        name="Notch",
        help="Takes a band away; parted, there are two, and what lies between them stands out.",
        category="Bands",
        parameters=(
            cutoff_parameter(800.0, "Frequency that is taken away, or the middle of the two."),
            width_parameter(0.7, 4.0),
            Parameter(
                "parting",
                "Parting",
                "How many octaves lie between the two gaps.",
                unit="oct",
                high=8.0,
                default=0.0,
                moves=Moves.PER_NOTE,
                group="Cut",
            ),
            key_follow_parameter(),
            spread_parameter(),
            *drive_parameters(),
            *feedback_parameters(),
            mix_parameter(),
        ),
    )
)
class Notch(SectionFilter):
    """Two gaps, one on the other where they do not part."""

    keys = ("width", "parting", "spread")
    shape = NOTCH

    def sections(self) -> int:
        """See `SectionFilter.sections`."""
        return 2

    def cutoffs(self, hertz: Floats, values: Values) -> Floats:
        """See `SectionFilter.cutoffs`."""
        middle = spread_cutoffs(hertz, values["spread"])
        apart = np.exp2(0.5 * values["parting"])[:, None]
        return np.stack([middle / apart, middle * apart], axis=1)

    def damping(self, values: Values) -> Floats:
        """See `SectionFilter.damping`."""
        return 1.0 / quality(values["width"])

    def widest_quality(self) -> float:
        """See `SectionFilter.widest_quality`."""
        return highest_quality(self.trajectories["width"])

    def tail(self) -> float:
        """See `Processor.tail`; the lower gap rings longer."""
        return super().tail() * float(2.0 ** (0.5 * self.trajectories["parting"].reach()[1]))
