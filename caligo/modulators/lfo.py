"""The slow oscillator: a blend of two shapes, skewed, with a period up to an hour."""

from __future__ import annotations

import math
from fractions import Fraction
from functools import cached_property, partial

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.kernels import device, kernel
from caligo.movement.chance import unit, wander_along
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats, seconds
from caligo.movement.periodic import Periodic
from caligo.movement.periods import at, paced_parameter, period_parameter
from caligo.signal.arrays import copy, largest
from caligo.signal.exponential import sine_of_turns

SHAPES = (
    Choice("sine", "Sine"),
    Choice("triangle", "Triangle"),
    Choice("rise", "Rise"),
    Choice("fall", "Fall"),
    Choice("square", "Square"),
    Choice("swell", "Swell"),
)
FREELY, FARTHEST = 0.6, 0.53
"""A fraction of uneven pace up to which it grows as it always has, and the cycles that all of it
drifts by: at 1 / 1.875 a cycle would stand still."""
ELSEWHERE = 4_000
"""The index of the chance by which a note begins elsewhere in the cycle."""
EDGE = 0.04
"""Share of a cycle that jumps take, so that they are quick but do not click."""


@device
def _edge(x: float) -> float:
    """From 0 to 1 over `EDGE`, smoothly."""
    x = min(max(x / EDGE, 0.0), 1.0)
    return x * x * (3.0 - 2.0 * x)


@device
def shape_value(shape: int, x: float) -> float:
    """The value in [-1, 1] of a shape (by its place in `SHAPES`) at cycle position [0, 1)."""
    if shape == 0:
        return sine_of_turns(x)
    if shape == 1:
        return 4.0 * x if x < 0.25 else (2.0 - 4.0 * x if x < 0.75 else 4.0 * x - 4.0)
    if shape == 2:
        back = 1.0 - EDGE
        return 2.0 * x / back - 1.0 if x < back else 1.0 - 2.0 * _edge(x - back)
    if shape == 3:
        back = 1.0 - EDGE
        return 1.0 - 2.0 * x / back if x < back else 2.0 * _edge(x - back) - 1.0
    if shape == 4:
        return 2.0 * (_edge(x) - _edge(x - 0.5)) - 1.0
    rise = sine_of_turns(0.5 * x)
    return 2.0 * rise * rise * rise * rise - 1.0


AT_ONCE = np.ones((1, 1))
"""How far an oscillator has faded in that begins in full."""


@device
def _unevenness(fraction: float) -> float:
    """How many cycles a fraction of uneven pace drifts by; all of it just never runs backwards.

    What drifts by w(p / 2) has a slope of 1.875 at most, by the quintic from -1 to 1.
    """
    fraction = max(fraction, 0.0)
    if fraction <= FREELY:
        return 0.8 * fraction
    return 0.8 * FREELY + (fraction - FREELY) * (FARTHEST - 0.8 * FREELY) / (1.0 - FREELY)


@kernel(
    "f8[:, ::1], i8, i8, f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[:, ::1], u8[::1], f8[:, ::1], "
    "f8[:, ::1]",
    allocates=True,
)
def _values(
    cycles: np.ndarray,
    first: int,
    second: int,
    blend: np.ndarray,
    skew: np.ndarray,
    depth_change: np.ndarray,
    period_change: np.ndarray,
    seeds: np.ndarray,
    fade: np.ndarray,
    out: np.ndarray,
) -> None:
    """The oscillator ``[notes, times]`` at so many cycles since each note's start.

    `blend` to `period_change` are 0 to 1 (the skew -1 to 1), and so is `fade`, each
    ``[notes, times]``, or ``[1, 1]`` where nothing moves it, or with a single row.
    """
    count = cycles.shape[1]
    drifted, drifts, phases = np.empty(count), np.empty(count), np.empty(count)
    for row in range(cycles.shape[0]):
        copy(cycles[row], phases)
        if largest(period_change) > 0.0:
            wander_along(seeds[row], 0.5 * phases, drifted)
            for k in range(count):
                phases[k] += _unevenness(at(period_change, row, k)) * drifted[k]
        if largest(depth_change) > 0.0:
            wander_along(seeds[row] ^ np.uint64(0x5DEECE66D), phases, drifts)
        for k in range(count):
            middle = 0.5 + 0.49 * at(skew, row, k)
            phase = phases[k]
            x = phase - math.floor(phase)
            x = 0.5 * x / middle if x < middle else 0.5 + 0.5 * (x - middle) / (1.0 - middle)
            x = min(x, 0.9999999999999999)
            value = shape_value(first, x)
            mixed = at(blend, row, k)
            if mixed > 0.0:
                value += mixed * (shape_value(second, x) - value)
            change = at(depth_change, row, k)
            if change > 0.0:
                value *= 1.0 - change * (0.5 + 0.5 * drifts[k])
            out[row, k] = value * at(fade, row, k)


@register(
    Module(
        family="modulator",
        kind="lfo",
        name="LFO",
        help="A cycle that repeats, from vibrato to once an hour.",
        category="Cycles",
        parameters=(
            Parameter(
                "shape",
                "Shape",
                "The first of two shapes.",
                default="sine",
                kind=Kind.CHOICE,
                choices=SHAPES,
                group="Shape",
            ),
            Parameter(
                "second",
                "Second shape",
                "The shape that the blend leads to.",
                default="triangle",
                kind=Kind.CHOICE,
                choices=SHAPES,
                group="Shape",
            ),
            Parameter(
                "blend",
                "Blend",
                "From the first shape to the second.",
                unit="%",
                high=100.0,
                moves=Moves.PER_NOTE,
                group="Shape",
            ),
            Parameter(
                "skew",
                "Skew",
                "Leans the cycle early or late.",
                unit="%",
                low=-100.0,
                high=100.0,
                moves=Moves.PER_NOTE,
                group="Shape",
            ),
            Parameter(
                "phase",
                "Phase",
                "Where in its cycle it begins.",
                unit="%",
                high=100.0,
                moves=Moves.PER_NOTE,
                group="Time",
            ),
            period_parameter("Length of one cycle, 1/40 s to an hour.", 20.0),
            paced_parameter(),
            Parameter(
                "fade",
                "Fade-in",
                "Time it takes to reach full depth.",
                unit="s",
                high=600.0,
                kind=Kind.TIME,
                moves=Moves.PER_NOTE,
                group="Time",
            ),
            Parameter(
                "scatter",
                "Phase scatter",
                "How far from there each note begins, where each has a cycle of its own.",
                unit="%",
                high=100.0,
                moves=Moves.PER_NOTE,
                group="Chance",
                seeded=True,
            ),
            Parameter(
                "depth_change",
                "Uneven depth",
                "How much cycles differ in depth.",
                unit="%",
                high=100.0,
                moves=Moves.PER_NOTE,
                group="Chance",
                seeded=True,
            ),
            Parameter(
                "period_change",
                "Uneven pace",
                "How much cycles differ in length.",
                unit="%",
                high=100.0,
                moves=Moves.PER_NOTE,
                group="Chance",
                seeded=True,
            ),
        ),
    )
)
class Lfo(Periodic):
    """A periodic modulator; free for the whole sound, or begun anew by each note."""

    @classmethod
    def turn(cls, part: ModulatorPart) -> Fraction | str:
        """See `Modulator.turn`."""
        if part.number("depth_change") or part.number("period_change"):
            return "its cycles are uneven"
        return Fraction(1)

    @cached_property
    def _shapes(self) -> tuple[int, int]:
        """The two shapes that it blends, by number."""
        names = [choice.value for choice in SHAPES]
        return names.index(self.part.text("shape")), names.index(self.part.text("second"))

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        fraction = partial(self.fraction, moments)
        seeds = moments.notes.seed ^ np.uint64(self.seed)
        cycles = self.cycles.at(moments) + fraction("phase")
        scatter = fraction("scatter")
        if scatter.any():
            begins = np.array([unit(seed, ELSEWHERE) for seed in seeds])
            cycles = cycles + scatter * begins[:, None]
        out = np.empty_like(cycles)
        _values(
            cycles,
            *self._shapes,
            fraction("blend"),
            fraction("skew"),
            fraction("depth_change"),
            fraction("period_change"),
            seeds,
            self._fade(moments),
            out,
        )
        return out

    def _fade(self, moments: Moments) -> Floats:
        """How far each note's oscillator has faded in ``[notes, times]``; ``[1, 1]`` if at once."""
        fade, notes = self.trajectory("fade"), moments.notes
        if not fade.moved and fade.base == 0.0:
            return AT_ONCE
        rise = seconds(fade.at_starts(moments), fade.unit, notes, self.setting.tempo)[:, None]
        since = moments.times[None, :] - notes.start[:, None]
        parts = np.clip(since / np.maximum(rise, 1e-9), 0.0, 1.0)
        return np.where(rise > 0.0, parts, 1.0)
