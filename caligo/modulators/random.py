"""The random source: from a smooth drift to steps, at any moment without memory."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np

from caligo.catalogue import Kind, Module, Moves, Parameter, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.kernels import device, kernel
from caligo.movement.chance import derive, signed, text_seed
from caligo.movement.modulator import Surroundings
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.periodic import Periodic
from caligo.movement.periods import at, paced_parameter, period_parameter

UNLIKE = 0.5
"""Octaves by which the speeds of targets with values of their own differ at most."""
OCTAVES = 5
"""Layers of ever quicker noise that roughness adds, as in fractal (1/f) noise."""
KNEE = 0.6
"""Values up to which rough randomness stays as it is; beyond, it is bent to stay below 1."""
FAINTEST = 1e-6
"""Layers below this fraction are left out."""


@device
def between(a: float, b: float, x: float, steps: float) -> float:
    """The way from one random number to the next, at `x` from 0 to 1.

    `steps` goes from 0, always under way, to 1, waiting and then moving at once.
    """
    wait = 0.98 * steps
    x = max(x - wait, 0.0) / (1.0 - wait)
    return a + (b - a) * x * x * (3.0 - 2.0 * x)


@device
def _range(roughness: float) -> tuple[float, float]:
    """What keeps the range as wide as that of one layer, and how far values may then reach.

    Independent layers add in power; where all point the same way they add up.
    """
    power, sum_of_all, weight = 0.0, 0.0, 1.0
    for _ in range(OCTAVES):
        power += weight * weight
        sum_of_all += weight
        weight *= roughness
    gain = 1.0 / math.sqrt(power)
    return gain, gain * sum_of_all


@device
def _held_in(x: float, reach: float) -> float:
    """`x`, which may come to `reach`, within [-1, 1], without a place at which it would stand.

    Below `KNEE` it stays; the rest is bent by ``t / (1 + c t)``, which goes on rising.
    """
    beyond = abs(x) - KNEE
    if beyond <= 0.0 or reach <= 1.0:
        return min(max(x, -1.0), 1.0)
    bend = 1.0 / (1.0 - KNEE) - 1.0 / (reach - KNEE)
    return math.copysign(min(KNEE + beyond / (1.0 + bend * beyond), 1.0), x)


@kernel("f8[:, ::1], u8[::1], f8[:, ::1], f8[:, ::1], f8[:, ::1]")
def _values(
    cycles: np.ndarray, seeds: np.ndarray, steps: np.ndarray, roughness: np.ndarray, out: np.ndarray
) -> None:
    """Random values ``[notes, times]`` at so many periods since each note's start.

    `steps` and `roughness` are 0 to 1, each ``[notes, times]``, or with a single row, or
    ``[1, 1]`` where nothing moves them.
    """
    gain, reach = _range(at(roughness, 0, 0))
    moving = roughness.size > 1
    for row in range(cycles.shape[0]):
        out[row] = 0.0
        # Octave by octave: neighbouring moments lie between the same two random numbers.
        for octave in range(OCTAVES):
            seed = seeds[row] + np.uint64(octave)
            known, a, b = np.int64(-(2**62)), 0.0, 0.0
            scale, shift = 1.0, 0.0
            for _ in range(octave):
                scale, shift = 2.0 * scale, 2.0 * shift + 0.37
            weight = at(roughness, row, 0) ** octave
            if weight < FAINTEST and not moving:
                break
            for k in range(cycles.shape[1]):
                if moving:
                    weight = at(roughness, row, k) ** octave
                position = cycles[row, k] * scale + shift
                index = np.int64(math.floor(position))
                if index != known:
                    known = index
                    a, b = signed(seed, int(index)), signed(seed, int(index) + 1)
                out[row, k] += weight * between(a, b, position - index, at(steps, row, k))
        for k in range(cycles.shape[1]):
            if moving:
                gain, reach = _range(at(roughness, row, k))
            out[row, k] = _held_in(out[row, k] * gain, reach)


@register(
    Module(
        family="modulator",
        kind="random",
        name="Random",
        help="Random values that never repeat, from drifting to stepping.",
        category="Chance",
        seeded=True,
        parameters=(
            period_parameter("Time between one random value and the next.", 12.0),
            paced_parameter(),
            Parameter(
                "apart",
                "Own values for each target",
                "Each parameter that it moves drifts by itself, at a speed a little of its own.",
                kind=Kind.SWITCH,
                default=False,
                group="Chance",
            ),
            Parameter(
                "steps",
                "Smooth to stepped",
                "From drifting to waiting and jumping.",
                unit="%",
                high=100.0,
                moves=Moves.PER_NOTE,
                group="Shape",
            ),
            Parameter(
                "roughness",
                "Roughness",
                "Adds quicker and quicker movement on top.",
                unit="%",
                high=100.0,
                default=20.0,
                moves=Moves.PER_NOTE,
                group="Shape",
            ),
        ),
    )
)
class Random(Periodic):
    """A random modulator; with its own values in each note, or one for all."""

    def __init__(self, part: ModulatorPart, movement: Surroundings) -> None:
        super().__init__(part, movement)
        self._speed = 1.0
        self._towards: dict[str, Random] = {}

    @property
    def per_target(self) -> bool:
        """See `Modulator.per_target`."""
        return self.part.switch("apart")

    def towards(self, target: str) -> Random:
        """See `Modulator.towards`: another seed, and a speed up to `UNLIKE` octaves away."""
        if not target:
            return self
        if target not in self._towards:
            found = Random(self.part, self.movement)
            found.cycles = self.cycles
            found.seed = derive(self.seed, text_seed(target))
            found._speed = 2.0 ** (UNLIKE * signed(np.uint64(found.seed), 0))
            self._towards[target] = found
        return self._towards[target]

    @classmethod
    def turn(cls, part: ModulatorPart) -> Fraction | str:
        """See `Modulator.turn`."""
        return "it is free"

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        cycles = self._speed * self.cycles.at(moments)
        out = np.empty_like(cycles)
        _values(
            cycles,
            moments.notes.seed ^ np.uint64(self.seed),
            self.fraction(moments, "steps"),
            0.8 * self.fraction(moments, "roughness"),
            out,
        )
        return out
