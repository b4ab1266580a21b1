"""Width: how far the channels differ, and from which frequency on."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.channels import mix_channels, thin_difference
from caligo.signal.state_variable import cutoff_gain

LOWEST = 20.0


@register(
    Module(
        family="effect",
        kind="width",
        name="Width",
        help="Narrows or widens, keeps lows in the middle, turns the picture.",
        category="Width",
        parameters=(
            shared.percent("width", "Width", "What differs between the sides.", 100.0, high=200.0),
            Parameter(
                "mono_below",
                "Mono below",
                "Lows under this are the same on both sides; at its lowest none are.",
                unit="Hz",
                low=LOWEST,
                high=500.0,
                default=120.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.SHARED,
            ),
            shared.percent("turn", "Turn", "Turns the picture to one side.", 0.0, low=-100.0),
        ),
    )
)
class Width(Effect):
    """Middle and difference."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"thin": np.zeros(2)}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        width, below, turn = (
            self.trajectory(key).values(block.moments)[0] for key in ("width", "mono_below", "turn")
        )
        cutoff = np.where(below > LOWEST, cutoff_gain(below, self.rate), 0.0)
        thin_difference(signal, width / 100.0, cutoff, self.state["thin"])
        angle = turn / 100.0 * (math.pi / 4.0)
        if angle.any():
            cosine, sine = np.cos(angle), np.sin(angle)
            mix_channels(signal, np.array([[cosine, -sine], [sine, cosine]]))

    def tail(self) -> float:
        """See `Processor.tail`."""
        return 6.9 / (0.7 * 2.0 * math.pi * self.trajectory("mono_below").reach()[0])
