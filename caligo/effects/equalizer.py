"""The equalizer: up to sixteen bands of any shape, each of which may move."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Added, Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.cutoff import highest_quality, quality, ringing
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.bands import run_band
from caligo.signal.matched import (
    BELL,
    HIGH_SHELF,
    HIGHPASS,
    LOW_SHELF,
    LOWPASS,
    NOTCH,
    sections_of,
)

BANDS = 16
SHAPES = {
    "off": "Off",
    "bell": "Bell",
    "low_shelf": "Low shelf",
    "high_shelf": "High shelf",
    "low_cut": "Low cut",
    "high_cut": "High cut",
    "notch": "Notch",
}
SHAPE_OF = {
    "bell": BELL,
    "low_shelf": LOW_SHELF,
    "high_shelf": HIGH_SHELF,
    "low_cut": HIGHPASS,
    "high_cut": LOWPASS,
    "notch": NOTCH,
}
GAINED = ("bell", "low_shelf", "high_shelf")
USED = tuple(shape for shape in SHAPES if shape != "off")
FIRST = (("low_cut", 40.0), ("bell", 300.0))
"""The shapes and frequencies of a new equalizer; its bell does nothing yet."""
FURTHER = (800.0, 2_000.0, 4_500.0, 9_000.0, 150.0, 550.0, 1_200.0, 3_000.0, 6_500.0, 80.0, 220.0,
           400.0, 1_600.0, 12_000.0)  # fmt: skip
"""Where the bands that are added begin: far from those before them."""
RESTING = (*FIRST, *(("off", hertz) for hertz in FURTHER))


def _band(number: int, shape: str, hertz: float) -> tuple[Parameter, ...]:
    group, shape_key = f"Band {number}", f"shape{number}"
    return (
        Parameter(shape_key, f"Shape {number}", "What the band does.", default=shape,
                  kind=Kind.CHOICE, group=group,
                  choices=tuple(Choice(key, name) for key, name in SHAPES.items())),
        Parameter(f"frequency{number}", f"Frequency {number}", "Where it does it.", unit="Hz",
                  low=20.0, high=20_000.0, default=hertz, scale=Scale.LOGARITHMIC,
                  moves=Moves.SHARED, group=group, when=(shape_key, USED)),
        Parameter(f"gain{number}", f"Gain {number}", "How much.", unit="dB", low=-24.0, high=24.0,
                  default=0.0, scale=Scale.DECIBEL, moves=Moves.SHARED, group=group,
                  when=(shape_key, GAINED)),
        Parameter(f"width{number}", f"Width {number}", "Octaves that it takes; a cut is flat at "
                  "1.9 and resonates below.", unit="oct", low=0.02, high=4.0, default=1.9,
                  scale=Scale.LOGARITHMIC, moves=Moves.SHARED, group=group,
                  when=(shape_key, USED)),
    )  # fmt: skip


@register(
    Module(
        family="effect",
        kind="equalizer",
        name="Equalizer",
        help="Up to sixteen bands that lift, lower, shelve or cut; every one may move.",
        category="Tone",
        parameters=tuple(
            parameter
            for number, (shape, hertz) in enumerate(RESTING, start=1)
            for parameter in _band(number, shape, hertz)
        ),
        added=Added("band", tuple(f"shape{n}" for n in range(1, BANDS + 1)), "off", "bell"),
    )
)
class Equalizer(Effect):
    """A section for each band that is not off."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        shapes = {n: part.text(f"shape{n}") for n in range(1, BANDS + 1)}
        self._shapes = {n: shape for n, shape in shapes.items() if shape != "off"}

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"bands": np.zeros((BANDS, 2, 2))}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        for n, shape in self._shapes.items():
            hertz, gain, width = (
                self.trajectory(f"{key}{n}").values(block.moments)[0]
                for key in ("frequency", "gain", "width")
            )
            a = 10.0 ** (gain / 40.0)
            numbers = sections_of(SHAPE_OF[shape], hertz, 1.0 / quality(width), self.rate, a)
            run_band(signal, numbers[0], numbers[1], numbers[2:], self.state["bands"][n - 1])

    def tail(self) -> float:
        """See `Processor.tail`: the longest ringing of a band."""
        longest = 0.0
        for n in self._shapes:
            lowest = self.trajectory(f"frequency{n}").reach()[0]
            highest = max(abs(bound) for bound in self.trajectory(f"gain{n}").reach())
            own = max(0.71, highest_quality(self.trajectory(f"width{n}")))
            longest = max(longest, ringing(own * 10.0 ** (highest / 40.0), lowest))
        return longest
