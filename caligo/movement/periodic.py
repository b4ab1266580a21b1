"""Modulators that go by a period."""

from __future__ import annotations

from functools import cached_property

from caligo.movement.cycles import Cycles
from caligo.movement.modulator import Modulator


class Periodic(Modulator):
    """A modulator with a period, at the sound's pace or at its own; see `periods`."""

    @cached_property
    def cycles(self) -> Cycles:
        """The cycles that have passed since each note, or the sound, began."""
        return self.movement.cycles(f"{self.part.id}.period", paced=self.part.switch("paced"))
