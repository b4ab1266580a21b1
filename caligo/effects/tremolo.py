"""The tremolo: a slow wave on the level."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, register
from caligo.movement.block import Block
from caligo.movement.periods import paced_parameter
from caligo.processing import shared
from caligo.processing.effect_lfo import EffectLFO
from caligo.processing.processor import Signal
from caligo.signal.channels import scale_channels


@register(
    Module(
        family="effect",
        kind="tremolo",
        name="Tremolo",
        help="Moves the level up and down; the same on several buses, it moves them as one.",
        category="Level",
        parameters=(
            shared.period("Length of one wave.", 2.0),
            shared.percent("depth", "Depth", "How far the level falls.", 50.0, group="Movement"),
            shared.percent(
                "turn",
                "Turn",
                "How far the right side is behind; half a cycle at 100 %.",
                0.0,
                group="Movement",
            ),
            paced_parameter(group="Movement"),
        ),
    )
)
class Tremolo(EffectLFO):
    """A sine on the level of either channel, as a function of time."""

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        depth, turn = (
            self.trajectory(key).values(block.moments)[0] / 100.0 for key in ("depth", "turn")
        )
        phase = self.cycles(block)
        cycles = np.stack([phase, phase - 0.5 * turn])
        gains = 1.0 - depth * (0.5 - 0.5 * np.cos(2.0 * np.pi * cycles))
        # Louder by what the wave takes on average, so that depth does not turn it down.
        scale_channels(signal, gains / np.sqrt((1.0 - 0.5 * depth) ** 2 + depth**2 / 8.0))

    def tail(self) -> float:
        """See `Processor.tail`."""
        return 0.0
