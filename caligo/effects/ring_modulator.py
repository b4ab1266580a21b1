"""The ring modulator: sums and differences with a sine.

They are made at four times the rate, where a sum above the band has a place of its own; coming
down again, it is gone instead of folded back.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, register
from caligo.document.sound import EffectPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.oversampled import lower_channel, raise_channel
from caligo.processing.processor import Signal, State
from caligo.signal.carrier import multiply_rows
from caligo.signal.four_rows import ROWS
from caligo.signal.fourfold import LATENCY, state
from caligo.signal.gains import crossfade
from caligo.signal.offset import STANDING, lose_offset
from caligo.signal.smoothing import one_pole


@register(
    Module(
        family="effect",
        kind="ring_modulator",
        name="Ring modulator",
        help="Replaces every partial by its sum and difference with a sine: bells and metal.",
        category="Pitch",
        parameters=(
            shared.hertz(
                "frequency",
                "Frequency",
                "Of the sine.",
                220.0,
                low=0.1,
                high=8_000.0,
                group="Sine",
            ),
            shared.percent(
                "turn",
                "Turn",
                "How far the sine of the right side is ahead, in quarters of a cycle.",
                0.0,
                group="Sine",
            ),
            shared.mix("Modulated against direct signal.", 50.0),
        ),
    )
)
class RingModulator(Effect):
    """A sine as a function of time."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._phase = movement.travel(f"{address}.frequency", 1.0)

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        direct = np.zeros((2, LATENCY), np.float32)
        return {**state(), "direct": direct, "standing": np.zeros(2)}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        kept, samples = self.state, signal.shape[1]
        phase = self._phase.at(block.moments.of(self.cue))[0]
        turn, mix = (self.trajectory(key).values(block.moments)[0] for key in ("turn", "mix"))
        made, rows = np.empty_like(signal), np.empty((ROWS, samples), np.float32)
        for c, ahead in enumerate((0.0, 0.25 * turn / 100.0)):
            raise_channel(signal[c], kept, c, rows)
            multiply_rows(rows, phase + ahead)
            lower_channel(rows, kept, c, made[c])
        # A partial at the sine's own frequency becomes direct current.
        lose_offset(made, one_pole(STANDING, self.rate), kept["standing"])
        direct = np.concatenate([kept["direct"], signal], axis=1)
        signal[:], kept["direct"] = direct[:, :samples], direct[:, samples:].copy()
        crossfade(signal[None], made[None], mix[None] / 100.0)

    def tail(self) -> float:
        """See `Processor.tail`: until what stands still is known again."""
        return 2.0 * LATENCY / self.rate + 6.9 / (2.0 * math.pi * STANDING)

    def latency(self) -> int:
        """See `Processor.latency`."""
        return LATENCY
