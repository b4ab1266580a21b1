"""How the oscillators of a unison drift from their tuning, each slowly and by itself.

An oscillator's clock runs ahead and behind: by how much is a function of time, a sum of smooth
random ones that go from value to value in 4, 8, 16 and 32 seconds. Nothing has to be added up, so
that a start at any minute is quick and exact.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import device, kernel
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
"""The root mean square of the drift, as a fraction of what is set."""


@device
def _stretch(times: np.ndarray, first: int, each: float) -> tuple[int, int]:
    """Which of the steps of a span's clock the moment at `first` lies in, and where it ends.

    `each` is how many steps are made in a second.
    """
    index = math.floor(times[first] * each)
    end = first + 1
    while end < len(times) and math.floor(times[end] * each) == index:
        end += 1
    return index, end


@kernel("u8[::1], f8[::1], f8, f8[:, ::1]")
def drift_ahead(seeds: np.ndarray, times: np.ndarray, distance: float, ahead: np.ndarray) -> None:
    """How far clocks are ahead at `times` ``[times]``.

    Parameters
    ----------
    seeds
        Of each clock ``[clocks]``.
    distance
        How far they drift, as the pace that a whole random step of one span makes.
    ahead
        Receives seconds ``[clocks, times]``.
    """
    ahead[:] = 0.0
    for span in range(SPANS):
        seconds = SHORTEST * 2.0**span
        each = 1.0 / seconds  # exact, as a power of two
        first = 0
        while first < len(times):
            index, end = _stretch(times, first, each)
            for clock in range(len(seeds)):
                own = combine(seeds[clock], span)
                before = signed(own, index)
                apart = signed(own, index + 1) - before
                moments, own_ahead = times[first:end], ahead[clock, first:end]
                for n in range(end - first):
                    x = moments[n] * each - index
                    step = x * x * x * (x * (6.0 * x - 15.0) + 10.0)
                    own_ahead[n] += distance * seconds * (before + apart * step)
            first = end


@kernel("u8[::1], f8[::1], f8, f8[:, ::1]")
def drift_rate(seeds: np.ndarray, times: np.ndarray, distance: float, pace: np.ndarray) -> None:
    """By what fraction clocks run faster at `times`: the slope of what `drift_ahead` tells.

    `pace` ``[clocks, times]`` receives it; the others are as in `drift_ahead`.
    """
    pace[:] = 0.0
    for span in range(SPANS):
        each = 1.0 / (SHORTEST * 2.0**span)
        first = 0
        while first < len(times):
            index, end = _stretch(times, first, each)
            for clock in range(len(seeds)):
                own = combine(seeds[clock], span)
                apart = signed(own, index + 1) - signed(own, index)
                moments, own_pace = times[first:end], pace[clock, first:end]
                for n in range(end - first):
                    x = moments[n] * each - index
                    own_pace[n] += distance * apart * 30.0 * x * x * (1.0 - x) * (1.0 - x)
            first = end


def distance_of(cents: Floats) -> Floats:
    """How far clocks drift that may drift by `cents` ``[times]``; see `drift_ahead`."""
    found: Floats = OFTEN * (np.exp2(cents / 1200.0) - 1.0) / (STEEPNESS * math.sqrt(SPANS))
    return found


def most_octaves(cents: float) -> float:
    """How far a pitch that may drift by so many cents drifts upwards at most, in octaves."""
    return math.log2(1.0 + 2.0 * 1.875 * SPANS * float(distance_of(np.array(cents))))


class UnisonDrift:
    """How a source's oscillators drift.

    Parameters
    ----------
    count
        Oscillators.
    seed
        The source's seed.
    """

    def __init__(self, count: int, seed: int) -> None:
        self._count = count
        self._seed = seed
        self._seeds: dict[int, NDArray[np.uint64]] = {}

    def _seeds_of(self, voice: int) -> NDArray[np.uint64]:
        if voice not in self._seeds:
            if len(self._seeds) > MOST_VOICES:
                self._seeds.clear()
            own = derive(self._seed, voice)
            self._seeds[voice] = np.array([derive(own, o) for o in range(self._count)], np.uint64)
        return self._seeds[voice]

    def _of(self, voice: int, oscillator: int | None) -> NDArray[np.uint64]:
        """Seeds of a voice's oscillators, or that of one."""
        seeds = self._seeds_of(voice)
        return seeds if oscillator is None else seeds[oscillator : oscillator + 1]

    def ahead(
        self, voice: int, times: Floats, distance: float, oscillator: int | None = None
    ) -> Floats:
        """Seconds by which clocks are ahead ``[oscillators, times]``.

        Parameters
        ----------
        voice
            The voice's seed.
        distance
            See `distance_of`.
        oscillator
            Of one alone it is ``[1, times]``.
        """
        seeds = self._of(voice, oscillator)
        found = np.empty((len(seeds), len(times)))
        drift_ahead(seeds, times, distance, found)
        return found

    def pace(
        self, voice: int, times: Floats, distance: float, oscillator: int | None = None
    ) -> Floats:
        """By what fraction clocks run faster than tuned ``[oscillators, times]``; as `ahead`."""
        seeds = self._of(voice, oscillator)
        found = np.empty((len(seeds), len(times)))
        drift_rate(seeds, times, distance, found)
        return found
