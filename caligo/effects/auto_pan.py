"""The auto-pan: a slow way from side to side at constant power."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, register
from caligo.movement.block import Block
from caligo.movement.periods import paced_parameter
from caligo.processing import shared
from caligo.processing.effect_lfo import EffectLFO
from caligo.processing.processor import Signal
from caligo.signal.channels import mix_channels


@register(
    Module(
        family="effect",
        kind="auto_pan",
        name="Auto-pan",
        help="Turns the stereo picture slowly from side to side; nothing gets lost on the way.",
        category="Width",
        parameters=(
            shared.period("Length of one way there and back.", 8.0),
            shared.percent("depth", "Depth", "How far it goes.", 60.0, group="Movement"),
            paced_parameter(group="Movement"),
        ),
    )
)
class AutoPan(EffectLFO):
    """A rotation of both channels, which keeps the power of a wide signal."""

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        depth = self.trajectory("depth").values(block.moments)[0] / 100.0
        phase = self.cycles(block)
        angle = depth * (math.pi / 4.0) * np.sin(2.0 * np.pi * phase)
        # A mono signal lies at 45 degrees: turned by as much it is on one channel, at the same
        # power.
        cosine, sine = np.cos(angle), np.sin(angle)
        mix_channels(signal, np.array([[cosine, -sine], [sine, cosine]]))

    def tail(self) -> float:
        """See `Processor.tail`."""
        return 0.0
