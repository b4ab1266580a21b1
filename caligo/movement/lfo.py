"""The slow oscillator: a blend of two shapes, skewed, with a period up to an hour."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from caligo.catalogue import Choice, Kind, Module, Parameter, Scale, register
from caligo.movement.chance import wander
from caligo.movement.modulator import Modulator
from caligo.movement.notes import Floats, Notes, cycles, seconds

SHAPES = (
    Choice("sine", "Sine"),
    Choice("triangle", "Triangle"),
    Choice("rise", "Rise"),
    Choice("fall", "Fall"),
    Choice("square", "Square"),
    Choice("swell", "Swell"),
)
SHORTEST_PERIOD = 1.0 / 40.0
LONGEST_PERIOD = 3600.0
EDGE = 0.04
"""Share of a cycle that jumps take, so that they are quick but do not click."""


@njit(cache=True, nogil=True)
def _edge(x: float) -> float:
    """From 0 to 1 over `EDGE`, smoothly."""
    x = min(max(x / EDGE, 0.0), 1.0)
    return x * x * (3.0 - 2.0 * x)


@njit(cache=True, nogil=True)
def shape_value(shape: int, x: float) -> float:
    """The value in [-1, 1] of a shape (by its place in `SHAPES`) at cycle position [0, 1)."""
    if shape == 0:
        return math.sin(2.0 * math.pi * x)
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
    rise = math.sin(math.pi * x)
    return 2.0 * rise * rise * rise * rise - 1.0


@njit(cache=True, nogil=True)
def _course(
    turns: np.ndarray,
    first: int,
    second: int,
    blend: float,
    skew: float,
    depth_change: float,
    period_change: float,
    seeds: np.ndarray,
    fade: np.ndarray,
    out: np.ndarray,
) -> None:
    middle = 0.5 + 0.49 * skew
    for row in range(turns.shape[0]):
        for k in range(turns.shape[1]):
            turn = turns[row, k]
            if period_change > 0.0:
                turn += 0.8 * period_change * wander(seeds[row], turn * 0.5)
            x = turn - math.floor(turn)
            x = 0.5 * x / middle if x < middle else 0.5 + 0.5 * (x - middle) / (1.0 - middle)
            x = min(x, 0.9999999999999999)
            value = shape_value(first, x)
            if blend > 0.0:
                value += blend * (shape_value(second, x) - value)
            if depth_change > 0.0:
                drift = wander(seeds[row] ^ np.uint64(0x5DEECE66D), turn)
                value *= 1.0 - depth_change * (0.5 + 0.5 * drift)
            out[row, k] = value * fade[row, k]


@register(
    Module(
        family="modulator",
        kind="lfo",
        name="LFO",
        help="A cycle that repeats, from vibrato to once an hour.",
        parameters=(
            Parameter(
                "shape",
                "Shape",
                "The first of two shapes.",
                default="sine",
                kind=Kind.CHOICE,
                choices=SHAPES,
            ),
            Parameter(
                "second",
                "Second shape",
                "The shape that the blend leads to.",
                default="triangle",
                kind=Kind.CHOICE,
                choices=SHAPES,
            ),
            Parameter(
                "blend", "Blend", "From the first shape to the second.", unit="%", high=100.0
            ),
            Parameter(
                "skew", "Skew", "Leans the cycle early or late.", unit="%", low=-100.0, high=100.0
            ),
            Parameter("phase", "Phase", "Where in its cycle it begins.", unit="%", high=100.0),
            Parameter(
                "period",
                "Period",
                "Length of one cycle, 1/40 s to an hour.",
                unit="s",
                low=SHORTEST_PERIOD,
                high=LONGEST_PERIOD,
                default=20.0,
                kind=Kind.TIME,
                scale=Scale.LOGARITHMIC,
            ),
            Parameter(
                "fade",
                "Fade-in",
                "Time it takes to reach full depth.",
                unit="s",
                high=600.0,
                kind=Kind.TIME,
            ),
            Parameter(
                "depth_change",
                "Uneven depth",
                "How much cycles differ in depth.",
                unit="%",
                high=100.0,
            ),
            Parameter(
                "period_change",
                "Uneven pace",
                "How much cycles differ in length.",
                unit="%",
                high=100.0,
            ),
        ),
    )
)
class Lfo(Modulator):
    """A periodic modulator; free for the whole sound, or begun anew by each note."""

    def values(self, times: Floats, notes: Notes) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        part, setting = self.part, self.setting
        names = [c.value for c in SHAPES]
        turns = cycles(part.time("period"), setting.pace, times, notes, setting.tempo)
        turns = turns + part.number("phase") / 100.0
        rise = seconds(part.time("fade"), notes, setting.tempo)[:, None]
        since = times[None, :] - notes.start[:, None]
        fade = np.clip(since / np.maximum(rise, 1e-9), 0.0, 1.0)
        if part.time("fade").value == 0.0:
            fade[:] = 1.0
        out = np.empty_like(turns)
        _course(
            turns,
            names.index(part.text("shape")),
            names.index(part.text("second")),
            part.number("blend") / 100.0,
            part.number("skew") / 100.0,
            part.number("depth_change") / 100.0,
            part.number("period_change") / 100.0,
            notes.seed ^ np.uint64(self.seed),
            fade,
            out,
        )
        return out
