"""The high-pass filter."""

from __future__ import annotations

from caligo.catalogue import Module, register
from caligo.processing.slopes import SlopeFilter, slope_parameters


@register(
    Module(
        family="filter",
        kind="highpass",
        name="High-pass",
        help="Lets highs pass and thins out what lies below the cutoff.",
        category="Slopes",
        parameters=slope_parameters(120.0, "below"),
    )
)
class Highpass(SlopeFilter):
    """Cuts below the cutoff."""

    highpass = True
