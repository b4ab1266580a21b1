"""The ladder: a driven low-pass of 24 dB per octave that sings at its cutoff."""

from __future__ import annotations

from functools import cache

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.cutoff import (
    cutoff_parameter,
    followed,
    key_follow_parameter,
    lowest_cutoff,
    mix_parameter,
    ringing,
    spread_cutoffs,
    spread_parameter,
)
from caligo.processing.filter import Filter, States
from caligo.processing.matching import (
    PLACES,
    RESONANCES,
    Floats,
    blend,
    even_parameter,
    gains_of,
    matched,
    scale_voices,
)
from caligo.processing.processor import Signal
from caligo.signal.ladder import DRIVEN, run_driven_ladder, run_ladder
from caligo.signal.level_follower import SETTLED, follow_level, known_or_usual
from caligo.signal.state_variable import cutoff_gain

MOST_FEEDBACK = 3.92
"""Feedback at full resonance; at 4 it would sing for ever, and no start could know its phase."""


@cache
def loop_gains() -> Floats:
    """`matching_gains` of the ladder where it is soft: ``(1 + k/2) / ((1 + s)^4 + k)``."""
    back = MOST_FEEDBACK * RESONANCES[:, None] / 100.0
    return gains_of(np.abs((1.0 + 0.5 * back) / ((1.0 + 1j * PLACES) ** 4 + back)) ** 2)


@register(
    Module(
        family="filter",
        kind="ladder",
        name="Ladder",
        help="A driven low-pass of 24 dB that is round when driven, and sings near full resonance.",
        category="Slopes",
        parameters=(
            cutoff_parameter(900.0, "Frequency above which it cuts."),
            Parameter(
                "resonance",
                "Resonance",
                "Emphasis at the cutoff; it sings along near the end.",
                unit="%",
                high=100.0,
                default=20.0,
                moves=Moves.PER_NOTE,
                group="Cut",
            ),
            Parameter(
                "drive",
                "Drive",
                "How hard the wave is bent; the loudness stays.",
                unit="dB",
                low=-12.0,
                high=36.0,
                default=0.0,
                scale=Scale.DECIBEL,
                idle=0.0,
                moves=Moves.PER_NOTE,
                group="Cut",
            ),
            Parameter(
                "driven",
                "Drive position",
                "Post-filter drive adds overtones, in its loop it rounds; it relates to the "
                "level there, or to a wave at -12 dB, which then keeps its level.",
                default="behind",
                kind=Kind.CHOICE,
                choices=(
                    Choice("behind", "Post-filter"),
                    Choice("loop", "In the loop"),
                    Choice("fixed", "In the loop, from -12 dB on"),
                ),
                group="Cut",
            ),
            even_parameter(None),
            key_follow_parameter(),
            spread_parameter(),
            mix_parameter(),
        ),
    )
)
class Ladder(Filter):
    """Four stages in a loop that is bent at its sum."""

    makes_offset = True

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        keys = ("cutoff", "resonance", "drive", "key_follow", "spread", "mix")
        self._trajectories = {key: self.trajectory(key) for key in keys}
        self._matching = loop_gains() if part.switch("even") else None
        self._in_loop = self.drives_itself(part)
        self._driven = self._trajectories["drive"].reach()[1] > 0.0
        self._levelled = self._in_loop and part.text("driven") == "loop"
        self.state_shape = (2, DRIVEN if self._driven else 4)

    @staticmethod
    def drives_itself(part: FilterPart) -> bool:
        """See `Filter.drives_itself`."""
        return part.text("driven") != "behind"

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """See `Filter.process_streams`."""
        values = {
            key: trajectory.values(block.moments) for key, trajectory in self._trajectories.items()
        }
        hertz = followed(values["cutoff"], values["key_follow"], block)
        parted = spread_cutoffs(hertz, values["spread"])
        back = MOST_FEEDBACK * values["resonance"] / 100.0
        drive, mix = 10.0 ** (values["drive"] / 20.0), values["mix"] / 100.0
        scale = None
        if self._matching is not None:
            mix, scale = blend(mix, matched(self._matching, values["resonance"], hertz))
        if not self._in_loop:
            drive = np.ones_like(drive)
        levels = None
        if self._levelled:
            levels = known_or_usual(follow_level(signal, self.rate, self.followed))
        if self._driven:
            run_driven_ladder(signal, parted, self.rate, back, drive, mix, states, levels)
        else:
            corner = cutoff_gain(parted, self.rate)
            run_ladder(signal, corner, back, drive, mix, states, levels)
        if scale is not None:
            scale_voices(signal, scale)

    def answer(self, block: Block, signal: Signal) -> None:
        """See `Filter.answer`; its loop is bent from -12 dB on."""
        levelled, self._levelled = self._levelled, False
        super().answer(block, signal)
        self._levelled = levelled

    def settling(self) -> float:
        """See `Processor.settling`."""
        return SETTLED if self._levelled else super().settling()

    def tail(self) -> float:
        """See `Processor.tail`.

        With feedback k its poles are ``-1 + k^(1/4) e^(i pi/4)`` times the cutoff, so that it
        rings as a resonance with twice that real part in place of 1 / Q.
        """
        own = self._trajectories
        lowest = lowest_cutoff(own["cutoff"], own["key_follow"], own["spread"])
        back = MOST_FEEDBACK * own["resonance"].reach()[1] / 100.0
        return ringing(0.5 / (1.0 - back**0.25 * float(np.sqrt(0.5))), lowest)
