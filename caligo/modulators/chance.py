"""A random value of its own for each note, as a modulator."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, register
from caligo.movement.chance import signed
from caligo.movement.modulator import Modulator
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats


@register(
    Module(
        family="modulator",
        kind="chance",
        name="Random per note",
        help="One random value for each note, which it keeps.",
        category="Notes",
        seeded=True,
        scope="note",
        parameters=(),
    )
)
class Chance(Modulator):
    """A value drawn as a note starts, evenly from -1 to 1."""

    always_per_note = True

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [-1, 1]."""
        seeds = moments.notes.seed ^ np.uint64(self.seed)
        row = np.array([signed(seed, 0) for seed in seeds])
        return np.repeat(row[:, None], len(moments.times), axis=1)
