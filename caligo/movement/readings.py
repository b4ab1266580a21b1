"""What can be read off the trajectory of a parameter, and what a composer should know of it."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from caligo.catalogue import Parameter, Scale
from caligo.document.sound import Sound
from caligo.movement.notes import Floats

TOO_FAST = 15.0
"""Cycles in a second from which on movement is heard as roughness rather than as
movement (common practice: vibrato ends, and roughness begins, between 10 and 20 a second)."""
STUCK = 0.1
"""The fraction of the time at a limit of the range that is worth a word."""
NEAR = 1e-6
AGAINST = ("dB", "ct", "st")
"""Units of which two in one layer take each other's effect away: of levels and of pitches."""


@dataclass(frozen=True, slots=True)
class Reading:
    """What a parameter does over the length, in its unit.

    Parameters
    ----------
    fastest
        The quickest change, in the unit (in octaves on a logarithmic scale) in a second.
    words
        What a composer should know, a sentence each.
    """

    least: float
    mean: float
    greatest: float
    fastest: float
    words: list[str]


def read(
    parameter: Parameter, values: Floats, seconds: float, limits: tuple[float, float]
) -> Reading:
    """Read a trajectory.

    Parameters
    ----------
    values
        Evenly over the length ``[times]``, in the parameter's unit.
    seconds
        From one value to the next.
    limits
        The lowest and the highest possible value.
    """
    logarithmic = parameter.scale is Scale.LOGARITHMIC
    scaled = np.log2(np.maximum(values, 1e-9)) if logarithmic else values
    steps = np.abs(np.diff(scaled)) / seconds if len(values) > 1 else np.zeros(1)
    words = []
    least, greatest = float(values.min()), float(values.max())
    low, high = (_share_at(values, x, least, greatest) for x in limits)
    moves = float(np.ptp(scaled))
    if moves > 0.0:
        if low > STUCK:
            words.append(f"It stands at its lowest for {low:.0%} of the time.")
        if high > STUCK:
            words.append(f"It stands at its highest for {high:.0%} of the time.")
        if moves < parameter.noticed:
            words.append("It moves less than can be heard.")
    return Reading(
        least,
        float(2.0 ** scaled.mean() if logarithmic else values.mean()),
        greatest,
        float(steps.max()),
        words,
    )


def _share_at(values: Floats, limit: float, least: float, greatest: float) -> float:
    """The fraction of values ``[times]`` at a limit, between known extremes."""
    near = NEAR * max(abs(limit), 1.0)
    if limit < least - near or limit > greatest + near:
        return 0.0
    return float(np.mean(np.abs(values - limit) <= near))


def too_fast(sound: Sound, periods: dict[str, Fraction]) -> dict[str, str]:
    """Modulators so quick that they are no movement any more, by id, with a sentence.

    Parameters
    ----------
    periods
        Seconds, by modulator.
    """
    return {
        name: f"{1 / float(periods[name]):.0f} times a second: heard as roughness, not as movement."
        for name in (m.id for m in sound.modulators)
        if periods.get(name, 1) < 1.0 / TOO_FAST
    }


def fights(sound: Sound, parameters: dict[str, Parameter]) -> dict[str, str]:
    """Parameters that one modulator moves against each other, by address, with a sentence.

    Two levels in the same layer or bus, or two pitches, that go opposite ways take each other's
    effect away.
    """
    found: dict[str, str] = {}
    names = {m.id: m.name for m in sound.modulators}
    live = [
        r
        for r in sound.routes
        if not r.muted and r.target in parameters and parameters[r.target].unit in AGAINST
    ]
    for one in live:
        for other in live:
            if one.source != other.source or one.target >= other.target:
                continue
            a, b = parameters[one.target], parameters[other.target]
            same = one.target.partition(".")[0] == other.target.partition(".")[0]
            against = one.depth * other.depth < 0.0 and one.polarity == other.polarity
            if same and against and a.unit == b.unit:
                sentence = (
                    f"{names[one.source]} moves {a.name.lower()} and {b.name.lower()} against "
                    "each other."
                )
                found[one.target] = found[other.target] = sentence
    return found
