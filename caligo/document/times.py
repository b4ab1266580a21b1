"""Times with a unit: seconds, beats, or a fraction of the held note."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from caligo.catalogue.parameter import LONGEST_BEATS, LONGEST_HOLD

TimeUnit = Literal["s", "beats", "hold"]
SHORTEST_FRACTION = 0.001
"""The shortest time in beats or fractions of the note, where a time may not be nothing."""


class Time(BaseModel):
    """A length of time: ``s`` seconds, ``beats`` quarter notes, ``hold`` share of the note."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    value: float
    unit: TimeUnit = "s"


def time_range(unit: str, low: float, high: float) -> tuple[float, float]:
    """The lowest and highest value of a time in `unit`; `low` and `high` are in seconds."""
    lowest = low if unit == "s" else (0.0 if low == 0 else SHORTEST_FRACTION)
    return lowest, time_limit(unit, high)


def time_limit(unit: str, high_seconds: float) -> float:
    """The largest value a time may have in `unit`, where seconds go up to `high_seconds`."""
    return {"s": high_seconds, "beats": LONGEST_BEATS, "hold": LONGEST_HOLD}[unit]
