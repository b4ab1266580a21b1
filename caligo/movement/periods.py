"""What modulators with a period share."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Kind, Moves, Parameter, Scale
from caligo.kernels import device

SHORTEST_PERIOD = 1.0 / 40.0
LONGEST_PERIOD = 3600.0


def period_parameter(help: str, default: float) -> Parameter:
    """A period from 1/40 s to an hour; its rate is moved in octaves."""
    return Parameter(
        "period",
        "Period",
        help,
        unit="s",
        low=SHORTEST_PERIOD,
        high=LONGEST_PERIOD,
        default=default,
        kind=Kind.TIME,
        scale=Scale.LOGARITHMIC,
        moves=Moves.PER_NOTE,
        group="Time",
    )


def paced_parameter(default: bool = True, group: str = "Time") -> Parameter:
    """Whether the pace of the sound scales the speed."""
    return Parameter(
        "paced",
        "Goes with the pace",
        "Whether the pace of the sound scales its speed.",
        default=default,
        kind=Kind.SWITCH,
        group=group,
    )


@device
def at(values: np.ndarray, row: int, k: int) -> float:
    """A value of ``[notes, times]``, of ``[1, times]`` or of ``[1, 1]``."""
    r = row if values.shape[0] > 1 else 0
    return float(values[r, k if values.shape[1] > 1 else 0])
