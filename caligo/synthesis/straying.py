"""How the oscillators of a unison stray from their tuning, each slowly and by itself.

An oscillator's clock runs ahead and behind: by how much is a function of time, a sum of smooth
random ones that go from value to value in 4, 8, 16 and 32 seconds. Nothing has to be added up, so
that a start at any minute is quick and exact.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.document.sound import Part
from caligo.movement.chance import combine, derive, signed
from caligo.movement.notes import Floats

SPANS = 4
SHORTEST = 4.0
"""Seconds from one random value to the next, of the quickest of `SPANS`; each is twice as long."""
STEEPNESS = 0.976
"""The root mean square of a span's pace, for values a second apart: of the slope 30 x² (1 - x)² of
the step between them, the root of 10/7, times that of the difference of two values, the root of
2/3."""
MOST_VOICES = 256
OFTEN = 0.5
"""The root mean square of the straying, as a share of what is set."""


@njit(cache=True, nogil=True)
def stray(
    seeds: np.ndarray, times: np.ndarray, way: float, ahead: np.ndarray, pace: np.ndarray
) -> None:
    """How far clocks are ahead at `times` ``[times]``, and how much faster they run.

    Parameters
    ----------
    seeds
        Of each clock ``[clocks]``.
    way
        How far they stray, as the pace that a whole random step of one span makes.
    ahead, pace
        Receive seconds, and the share by which they are faster ``[clocks, times]``.
    """
    ahead[:] = 0.0
    pace[:] = 0.0
    for clock in range(len(seeds)):
        for span in range(SPANS):
            seconds = SHORTEST * 2.0**span
            own = combine(seeds[clock], span)
            k = 0
            while k < len(times):
                index = math.floor(times[k] / seconds)
                end = k + 1
                while end < len(times) and math.floor(times[end] / seconds) == index:
                    end += 1
                before = signed(own, index)
                apart = signed(own, index + 1) - before
                for n in range(k, end):
                    x = times[n] / seconds - index
                    step = x * x * x * (x * (6.0 * x - 15.0) + 10.0)
                    ahead[clock, n] += way * seconds * (before + apart * step)
                    pace[clock, n] += way * apart * 30.0 * x * x * (1.0 - x) * (1.0 - x)
                k = end


class Straying:
    """How a source's oscillators stray.

    Parameters
    ----------
    part
        A source with `caligo.synthesis.common.unison_parameters`.
    seed
        Its seed.
    """

    def __init__(self, part: Part, seed: int) -> None:
        self._count = int(part.number("unison"))
        cents = part.number("drift") if self._count > 1 else 0.0
        share = math.exp2(cents / 1200.0) - 1.0
        self._way = OFTEN * share / (STEEPNESS * math.sqrt(SPANS))
        self._seed = seed
        self._seeds: dict[int, NDArray[np.uint64]] = {}

    @property
    def most(self) -> float:
        """How far a pitch strays upwards at most, in octaves."""
        return math.log2(1.0 + 2.0 * 1.875 * SPANS * self._way)

    @property
    def acts(self) -> bool:
        """Whether they stray at all."""
        return self._way > 0.0

    def _seeds_of(self, voice: int) -> NDArray[np.uint64]:
        if voice not in self._seeds:
            if len(self._seeds) > MOST_VOICES:
                self._seeds.clear()
            own = derive(self._seed, voice)
            self._seeds[voice] = np.array([derive(own, o) for o in range(self._count)], np.uint64)
        return self._seeds[voice]

    def at(self, voice: int, times: Floats, oscillator: int | None = None) -> tuple[Floats, Floats]:
        """Seconds by which clocks are ahead, and how much faster they run.

        Both are ``[oscillators, times]``, or ``[1, times]`` where one is asked for; `voice` is the
        voice's seed.
        """
        seeds = self._seeds_of(voice)
        if oscillator is not None:
            seeds = seeds[oscillator : oscillator + 1]
        ahead, pace = np.empty((2, len(seeds), len(times)))
        stray(seeds, times, self._way, ahead, pace)
        return ahead, pace
