"""How the oscillators of a unison stray from their tuning, each slowly and by itself.

An oscillator's clock runs ahead and behind: by how much is a function of time, a sum of smooth
random ones that go from value to value in 4, 8, 16 and 32 seconds. Nothing has to be added up, so
that a start at any minute is quick and exact.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

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
OFTEN = 0.5
"""The root mean square of the straying, as a share of what is set."""


@njit(cache=True, nogil=True)
def stray(
    seed: np.uint64, times: np.ndarray, way: float, ahead: np.ndarray, pace: np.ndarray
) -> None:
    """How far a clock is ahead at `times` ``[times]``, and how much faster it runs.

    Parameters
    ----------
    way
        How far it strays, as the pace that a whole random step of one span makes.
    ahead, pace
        Receive seconds, and the share by which it is faster ``[times]``.
    """
    ahead[:] = 0.0
    pace[:] = 0.0
    for span in range(SPANS):
        seconds = SHORTEST * 2.0**span
        own = combine(seed, span)
        known = False
        last, before, after = 0, 0.0, 0.0
        for k in range(len(times)):
            x = times[k] / seconds
            index = math.floor(x)
            if not known or index != last:
                before, after = signed(own, index), signed(own, index + 1)
                known, last = True, index
            x -= index
            step = x * x * x * (x * (6.0 * x - 15.0) + 10.0)
            ahead[k] += way * seconds * (before + (after - before) * step)
            pace[k] += way * (after - before) * 30.0 * x * x * (1.0 - x) * (1.0 - x)


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
        cents = part.number("drift") if part.number("unison") > 1 else 0.0
        share = math.exp2(cents / 1200.0) - 1.0
        self._way = OFTEN * share / (STEEPNESS * math.sqrt(SPANS))
        self._seed = seed

    @property
    def most(self) -> float:
        """How far a pitch strays upwards at most, in octaves."""
        return math.log2(1.0 + 2.0 * 1.875 * SPANS * self._way)

    @property
    def acts(self) -> bool:
        """Whether they stray at all."""
        return self._way > 0.0

    def at(self, voice: int, oscillator: int, times: Floats) -> tuple[Floats, Floats]:
        """Seconds by which a clock is ahead, and how much faster it runs ``[times]``.

        `voice` is the voice's seed.
        """
        ahead, pace = np.empty(len(times)), np.empty(len(times))
        own = derive(derive(self._seed, voice), oscillator)
        stray(np.uint64(own), times, self._way, ahead, pace)
        return ahead, pace
