"""The low-pass filter."""

from __future__ import annotations

from caligo.catalogue import Module, register
from caligo.processing.slopes import SlopeFilter, slope_parameters


@register(
    Module(
        family="filter",
        kind="lowpass",
        name="Low-pass",
        help="Lets lows pass and darkens what lies above the cutoff.",
        category="Slopes",
        parameters=slope_parameters(1_200.0, "above"),
    )
)
class Lowpass(SlopeFilter):
    """Cuts above the cutoff."""

    highpass = False
