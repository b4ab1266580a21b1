"""The frequency shifter: every partial by the same number of hertz."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Kind, Module, Moves, Parameter, register
from caligo.document.sound import EffectPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.carrier import shift
from caligo.signal.gains import crossfade
from caligo.signal.offset import STANDING, lose_offset
from caligo.signal.quadrature import STAGES, coefficients, split
from caligo.signal.smoothing import one_pole

FARTHEST = 2_000.0


@register(
    Module(
        family="effect",
        kind="frequency_shifter",
        name="Frequency shifter",
        help="Moves every partial by the same hertz: a slow swirl, or bells out of chords.",
        category="Pitch",
        parameters=(
            Parameter(
                "shift",
                "Shift",
                "By how much; a tenth of a hertz swirls, a hundred makes bells.",
                unit="Hz",
                low=-FARTHEST,
                high=FARTHEST,
                default=0.3,
                moves=Moves.SHARED,
                group="Shift",
                gentle=0.5,
            ),
            Parameter(
                "opposed",
                "Sides opposed",
                "Whether the right side is shifted the other way.",
                default=False,
                kind=Kind.SWITCH,
                group="Shift",
            ),
            shared.mix("Shifted against direct signal."),
        ),
    )
)
class FrequencyShifter(Effect):
    """A single side band of each channel."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._phase = movement.travel(f"{address}.shift", 1.0)
        self._coefficients = coefficients(rate)

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"chains": np.zeros((2, STAGES)), "standing": np.zeros(2)}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        phase = self._phase.at(block.moments.of(self.cue))[0]
        mix = self.trajectory("mix").values(block.moments)[0] / 100.0
        right = -1.0 if self.part.switch("opposed") else 1.0
        real, turned = np.empty(signal.shape), np.empty(signal.shape)
        made = np.empty_like(signal)
        split(signal, self._coefficients, real, turned, self.state["chains"])
        for c, direction in enumerate((1.0, right)):
            shift(real[c], turned[c], direction * phase, made[c])
        # A partial that is shifted to nothing becomes direct current.
        lose_offset(made, one_pole(STANDING, self.rate), self.state["standing"])
        crossfade(signal[None], made[None], mix[None])

    def tail(self) -> float:
        """See `Processor.tail`."""
        return 6.9 / (2.0 * math.pi * STANDING)
