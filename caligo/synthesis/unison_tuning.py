"""How the oscillators of a unison are tuned: detuned, unevenly, and drifting."""

from __future__ import annotations

import numpy as np

from caligo.document.sound import Part
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.synthesis.common import unison
from caligo.synthesis.unison_drift import UnisonDrift, distance_of, most_octaves


class UnisonTuning:
    """The tuning of a source's oscillators beside their note.

    Parameters
    ----------
    part
        A source with `caligo.synthesis.common.unison_parameters`.
    path
        Its address.

    Attributes
    ----------
    offsets
        Fractions of detune and spread from -1 to 1, as irregularity rests ``[oscillators]``.
    intervals
        Cents above the note ``[oscillators]``.
    """

    def __init__(self, part: Part, seed: int, movement: Movement, path: str) -> None:
        places = unison(part, seed)
        self.intervals, self._uneven = places.intervals, places.uneven
        self.detune, self._irregularity, self._drift = (
            movement.trajectory(f"{path}.{key}") for key in ("detune", "irregularity", "drift")
        )
        self._rested = self._irregularity.base
        self.offsets = places.offsets(self._rested)
        self._clocks = UnisonDrift(len(self.offsets), seed)

    @property
    def _many(self) -> bool:
        return len(self.offsets) > 1

    @property
    def alone(self) -> bool:
        """Whether it is one oscillator, at the note's own pitch."""
        return not self._many and bool(self.intervals[0] == 0.0)

    @property
    def moved(self) -> bool:
        """Whether oscillators change their tuning, drift aside, so that it has to be added up."""
        trajectories = (self.detune, self._irregularity, self._drift)
        return self._many and any(t.moved for t in trajectories)

    @property
    def drifts(self) -> bool:
        """Whether oscillators have a `pace` of their own."""
        return self._many and (self._drift.acts or self._irregularity.moved)

    @property
    def most(self) -> float:
        """How far a pace raises a pitch at most, in octaves."""
        if not self._many:
            return 0.0
        found = most_octaves(self._drift.reach()[1])
        if self._irregularity.moved:
            apart = max(abs(x - self._rested) for x in self._irregularity.reach()) / 100.0
            found += self.detune.reach()[1] * apart * float(np.abs(self._uneven).max()) / 1200.0
        return found

    def ahead(self, voice: int, times: Floats, oscillator: int | None = None) -> Floats:
        """Seconds by which clocks are ahead where nothing is `moved` ``[oscillators, times]``.

        `voice` is the voice's seed; of one oscillator alone it is ``[1, times]``.
        """
        distance = float(distance_of(np.array(self._drift.base)))
        return self._clocks.ahead(voice, times, distance, oscillator)

    def pace(self, voice: int, moments: Moments, row: int, oscillator: int | None = None) -> Floats:
        """By what fraction oscillators are faster than detuned ``[oscillators, times]``.

        `row` is the voice's among the notes of the moments; the others are as in `ahead`.
        """
        times = moments.times
        if self._drift.moved:
            found = self._clocks.pace(voice, times, 1.0, oscillator)
            found *= distance_of(self._drift.values(moments)[row])
        else:
            distance = float(distance_of(np.array(self._drift.base)))
            found = self._clocks.pace(voice, times, distance, oscillator)
        if self._irregularity.moved:
            uneven = self._uneven if oscillator is None else self._uneven[[oscillator]]
            apart = (self._irregularity.values(moments)[row] - self._rested) / 100.0
            cents = uneven[:, None] * (self.detune.values(moments)[row] * apart)
            found = (1.0 + found) * np.exp2(cents / 1200.0) - 1.0
        return found
