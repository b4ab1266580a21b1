"""What every filter is, and the pair of slopes that low-pass and high-pass share."""

from __future__ import annotations

import math
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Moves, Parameter, Scale
from caligo.document.sound import FilterPart
from caligo.filters.state_variable import SHARPEST, corner_gain, run, sharpness
from caligo.movement.block import Block
from caligo.movement.routes import Movement

MIDDLE_C = math.log2(261.6255653005986)
"""Octaves over 1 Hz of C4, where key follow does nothing (ISO 16)."""

State = NDArray[np.float64]


class Filter:
    """A filter on every voice of a layer. Its memory is handed to it, voice by voice."""

    state_shape: tuple[int, ...]

    def __init__(self, part: FilterPart, path: str, movement: Movement, rate: int) -> None:
        self.part = part
        self.path = path
        self.movement = movement
        self.rate = rate

    def process(self, block: Block, signal: NDArray[np.float32], state: State) -> None:
        """Filter `signal` ``[voices, 2, samples]`` in place; `state` ``[voices, …]`` goes on."""
        raise NotImplementedError

    def memory(self, decibels: float) -> float:
        """Seconds after which what the filter remembers has fallen by `decibels`."""
        raise NotImplementedError


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
        ),
        Parameter(
            "slope",
            "Slope",
            "How steeply it cuts, in decibels per octave.",
            default="24",
            kind=Kind.CHOICE,
            choices=(Choice("12", "12 dB"), Choice("24", "24 dB")),
        ),
        Parameter(
            "resonance",
            "Resonance",
            "Emphasis at the cutoff; flat at zero.",
            unit="%",
            high=100.0,
            default=0.0,
            moves=Moves.PER_NOTE,
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
        ),
        Parameter(
            "mix",
            "Mix",
            "Filtered against unfiltered signal.",
            unit="%",
            high=100.0,
            default=100.0,
            moves=Moves.PER_NOTE,
        ),
    )


class SlopeFilter(Filter):
    """A low-pass or high-pass of 12 or 24 dB per octave."""

    highpass: ClassVar[bool]

    def __init__(self, part: FilterPart, path: str, movement: Movement, rate: int) -> None:
        super().__init__(part, path, movement, rate)
        keys = ("cutoff", "resonance", "key_follow", "mix")
        self._tracks = {key: movement.track(f"{path}.{key}") for key in keys}
        self._steep = part.text("slope") == "24"
        self.state_shape = (2 if self._steep else 1, 2, 2)

    def process(self, block: Block, signal: NDArray[np.float32], state: State) -> None:
        """See `Filter.process`."""
        values = {key: track.values(block.frame) for key, track in self._tracks.items()}
        follow = np.exp2((block.pitch - MIDDLE_C) * values["key_follow"] / 100.0)
        corner = corner_gain(np.clip(values["cutoff"] * follow, 10.0, None), self.rate)
        run(
            signal,
            corner,
            sharpness(values["resonance"], self._steep),
            values["mix"] / 100.0,
            self.highpass,
            state,
        )

    def memory(self, decibels: float) -> float:
        """See `Filter.memory`; a resonance of quality Q at f rings as exp(-pi f t / Q)."""
        lowest = self._tracks["cutoff"].reach()[0]
        follow = max(abs(bound) for bound in self._tracks["key_follow"].reach()) / 100.0
        if follow:
            lowest = max(10.0, lowest * 2.0 ** (-4.0 * follow))
        quality = 1.31 * SHARPEST ** (self._tracks["resonance"].reach()[1] / 100.0)
        return float(decibels / 20.0 * math.log(10.0) * quality / (math.pi * lowest))
