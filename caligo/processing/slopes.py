"""What low-pass and high-pass share: cutoff, slope, resonance, key follow and mix."""

from __future__ import annotations

import math
from typing import ClassVar

import numpy as np

from caligo.catalogue import Choice, Kind, Moves, Parameter, Scale
from caligo.document.pitch import MIDDLE_C_OCTAVES
from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.filter import Filter, States
from caligo.processing.processor import Signal
from caligo.signal.state_variable import SHARPEST, corner_gain, run, sharpness

FADED = 90.0
"""Decibels by which a filter's ringing has fallen when it counts as faded."""


def slope_parameters(cutoff: float, what: str) -> tuple[Parameter, ...]:
    """The parameters of a filter that cuts what lies on one side of its corner."""
    return (
        Parameter(
            "cutoff",
            "Cutoff",
            f"Frequency {what} which it cuts.",
            unit="Hz",
            low=20.0,
            high=20_000.0,
            default=cutoff,
            scale=Scale.LOGARITHMIC,
            moves=Moves.PER_NOTE,
            group="Cut",
            follows_key="key_follow",
        ),
        Parameter(
            "slope",
            "Slope",
            "How steeply it cuts, in decibels per octave.",
            default="24",
            kind=Kind.CHOICE,
            choices=(Choice("12", "12 dB"), Choice("24", "24 dB")),
            group="Cut",
        ),
        Parameter(
            "resonance",
            "Resonance",
            "Emphasis at the cutoff; flat at zero.",
            unit="%",
            high=100.0,
            default=0.0,
            moves=Moves.PER_NOTE,
            group="Cut",
        ),
        Parameter(
            "key_follow",
            "Key follow",
            "How far the cutoff goes along with the key.",
            unit="%",
            low=-100.0,
            high=200.0,
            default=0.0,
            moves=Moves.PER_NOTE,
            group="Cut",
        ),
        Parameter(
            "mix",
            "Mix",
            "Filtered against unfiltered signal.",
            unit="%",
            high=100.0,
            default=100.0,
            moves=Moves.PER_NOTE,
            group="Cut",
        ),
    )


class SlopeFilter(Filter):
    """A low-pass or high-pass of 12 or 24 dB per octave."""

    highpass: ClassVar[bool]

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        keys = ("cutoff", "resonance", "key_follow", "mix")
        self._trajectories = {key: self.trajectory(key) for key in keys}
        self._steep = part.text("slope") == "24"
        self.state_shape = (2 if self._steep else 1, 2, 2)

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """See `Filter.process_streams`."""
        values = {
            key: trajectory.values(block.moments) for key, trajectory in self._trajectories.items()
        }
        follow = np.exp2((block.pitch - MIDDLE_C_OCTAVES) * values["key_follow"] / 100.0)
        corner = corner_gain(np.clip(values["cutoff"] * follow, 10.0, None), self.rate)
        run(
            signal,
            corner,
            sharpness(values["resonance"], self._steep),
            values["mix"] / 100.0,
            self.highpass,
            states,
        )

    def tail(self) -> float:
        """See `Filter.tail`; a resonance of quality Q at f rings as exp(-pi f t / Q)."""
        lowest = self._trajectories["cutoff"].reach()[0]
        follow = max(abs(bound) for bound in self._trajectories["key_follow"].reach()) / 100.0
        if follow:
            lowest = max(10.0, lowest * 2.0 ** (-4.0 * follow))
        quality = 1.31 * SHARPEST ** (self._trajectories["resonance"].reach()[1] / 100.0)
        return float(FADED / 20.0 * math.log(10.0) * quality / (math.pi * lowest))
