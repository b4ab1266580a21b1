"""Drive ahead of a filter: what comes in is bent the more, the louder it is."""

from __future__ import annotations

from caligo.catalogue import Moves, Parameter, Scale


def drive_parameter(group: str = "Cut") -> Parameter:
    """How hard what comes into a filter is driven; see `caligo.processing.filter`."""
    return Parameter(
        "drive",
        "Drive",
        "How hard what comes in is driven, whether filtered or not; a wave at -12 dB keeps its "
        "level.",
        unit="dB",
        high=36.0,
        default=0.0,
        scale=Scale.DECIBEL,
        moves=Moves.PER_NOTE,
        idle=0.0,
        group=group,
    )
