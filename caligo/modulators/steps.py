"""The step pattern: up to 128 values, one after the other, over any length."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.kernels import device, kernel
from caligo.movement.chance import unit
from caligo.movement.curvature import STEEPEST, curved
from caligo.movement.modulator import Surroundings
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.periodic import Periodic
from caligo.movement.periods import at, paced_parameter, period_parameter

MOST = 128
"""Steps of a pattern at most."""
EDGE = 0.02
"""Fraction of a step that even the quickest glide takes, so that it does not click."""
OCTAVE = 12


@device
def _sounding(
    index: int, count: int, chances: np.ndarray, ties: np.ndarray, seed: np.uint64
) -> int:
    """The last step up to an index that plays: neither tied to the one before nor left out."""
    for back in range(count):
        i = index - back
        k = i % count
        if ties[k] < 0.5 and unit(seed, i) < chances[k]:
            return k
    return index % count


@kernel("f8[:, ::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[:, ::1], u8[::1], f8[:, ::1]")
def step_values(
    position: np.ndarray,
    values: np.ndarray,
    curvatures: np.ndarray,
    chances: np.ndarray,
    ties: np.ndarray,
    glide: np.ndarray,
    seeds: np.ndarray,
    out: np.ndarray,
) -> None:
    """The pattern ``[notes, times]`` at so many steps since each note's start.

    Parameters
    ----------
    values, curvatures, chances, ties
        Of each step ``[steps]``: -1 to 1, -1 to 1, 0 to 1, and 1 where it keeps the value before.
    glide
        Fraction of a step on the way to the next, 0 to 1, ``[notes, times]`` or ``[1, 1]``.
    """
    count = len(values)
    for row in range(position.shape[0]):
        known, a, b = np.int64(-(2**62)), 0, 0
        for k in range(position.shape[1]):
            index = np.int64(math.floor(position[row, k]))
            if index != known:
                known = index
                a = _sounding(int(index), count, chances, ties, seeds[row])
                b = _sounding(int(index) + 1, count, chances, ties, seeds[row])
            edge = max(at(glide, row, k), EDGE)
            x = (position[row, k] - index - (1.0 - edge)) / edge
            value = values[a]
            if x > 0.0:
                value += (values[b] - value) * curved(x, STEEPEST * curvatures[index % count])
            out[row, k] = value


def on_grid(values: Floats, steps: int, degrees: list[float] | None = None) -> Floats:
    """Values ``[...]`` from -1 to 1 moved to the nearest of a grid.

    Parameters
    ----------
    steps
        Points of the grid from the middle to the end; with a route of as many semitones, one is
        a semitone.
    degrees
        The points that are used in each octave of 12, or all.

    Examples
    --------
    >>> on_grid(np.array([0.30, -0.9]), 12).tolist()
    [0.3333333333333333, -0.9166666666666666]
    >>> (12 * on_grid(np.array([0.30, -0.9]), 12, [0, 2, 4, 5, 7, 9, 11])).tolist()
    [4.0, -10.0]
    """
    points = np.arange(-steps, steps + 1)
    if degrees:
        allowed = {round(d) % OCTAVE for d in degrees}
        points = np.array([p for p in points if p % OCTAVE in allowed])
    if not len(points):
        return values
    nearest = np.abs(steps * values[:, None] - points[None, :]).argmin(axis=1)
    found: Floats = points[nearest] / steps
    return found


def _list(key: str, name: str, help: str, low: float, high: float, default: str = "") -> Parameter:
    return Parameter(
        key,
        name,
        help,
        unit="%",
        low=low,
        high=high,
        default=default,
        kind=Kind.NUMBERS,
        most=MOST,
        group="Steps",
    )


@register(
    Module(
        family="modulator",
        kind="steps",
        editor="steps",
        name="Steps",
        help="A pattern of values; 33 sixteenths over a bar of 4/4 come round after 33 bars.",
        category="Cycles",
        seeded=True,
        parameters=(
            period_parameter("Length of one step.", 1.0),
            paced_parameter(),
            _list("values", "Values", "The value of each step.", -100.0, 100.0,
                  "0 40 -20 75 10 -60 30 -35"),
            _list("bends", "Bends", "How early or late each step goes to the next.",
                  -100.0, 100.0),
            _list("chances", "Chances", "How likely each step is to play; else the one before "
                  "stays.", 0.0, 100.0),
            _list("ties", "Ties", "At 100, a step keeps the value of the one before.", 0.0, 100.0),
            Parameter(
                "glide",
                "Glide",
                "The fraction of a step in which it goes on to the next.",
                unit="%",
                high=100.0,
                default=20.0,
                moves=Moves.PER_NOTE,
                group="Shape",
            ),
            Parameter(
                "grid",
                "Grid",
                "Whether values are free, kept to even steps, or to the degrees of a scale.",
                default="free",
                kind=Kind.CHOICE,
                choices=(
                    Choice("free", "Free"),
                    Choice("even", "Even"),
                    Choice("degrees", "Scale"),
                ),
                group="Grid",
            ),
            Parameter(
                "points",
                "Points",
                "Points of the grid from the middle to the end; 12 with a depth of 12 st are "
                "semitones.",
                low=1,
                high=96,
                default=12,
                kind=Kind.INTEGER,
                when=("grid", ("even", "degrees")),
                group="Grid",
            ),
            Parameter(
                "degrees",
                "Degrees",
                "The semitones above the root that are used in each octave.",
                low=0.0,
                high=11.0,
                default="0 2 4 5 7 9 11",
                kind=Kind.NUMBERS,
                most=OCTAVE,
                when=("grid", ("degrees",)),
                group="Grid",
            ),
        ),
    )
)  # fmt: skip
class Steps(Periodic):
    """A step pattern; free for the whole sound, or begun anew by each note."""

    def __init__(self, part: ModulatorPart, movement: Surroundings) -> None:
        super().__init__(part, movement)
        values = np.array(part.numbers("values") or [0.0]) / 100.0
        if part.text("grid") != "free":
            degrees = part.numbers("degrees") if part.text("grid") == "degrees" else None
            values = on_grid(values, int(part.number("points")), degrees)
        self._values = values
        self._bends = self._each("bends", 0.0)
        self._chances = self._each("chances", 100.0)
        self._ties = self._each("ties", 0.0)

    def _each(self, key: str, default: float) -> Floats:
        """A number for each step; where the list is too short, the default."""
        given = self.part.numbers(key)[: len(self._values)]
        return np.array(given + [default] * (len(self._values) - len(given))) / 100.0

    @classmethod
    def turn(cls, part: ModulatorPart) -> Fraction | str:
        """See `Modulator.turn`."""
        if any(chance < 100.0 for chance in part.numbers("chances")):
            return "its steps are left to chance"
        return Fraction(max(1, len(part.numbers("values"))))

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        position = self.cycles.at(moments)
        out = np.empty_like(position)
        step_values(
            position,
            self._values,
            self._bends,
            self._chances,
            self._ties,
            self.fraction(moments, "glide"),
            moments.notes.seed ^ np.uint64(self.seed),
            out,
        )
        return out
