"""The phaser: notches that sway together."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Kind, Module, Moves, Parameter, register
from caligo.movement.block import Block
from caligo.movement.periods import paced_parameter
from caligo.processing import shared
from caligo.processing.effect_lfo import EffectLFO
from caligo.processing.processor import Signal, State
from caligo.signal.first_order import run_all_passes
from caligo.signal.state_variable import cutoff_gain

MOST_FEEDBACK = 0.9


@register(
    Module(
        family="effect",
        kind="phaser",
        name="Phaser",
        help="Notches that sway through the spectrum, slowly if wanted.",
        category="Movement",
        parameters=(
            shared.period("Length of one sway there and back.", 16.0),
            shared.hertz("centre", "Centre", "Middle of the sway.", 900.0, low=60.0,
                         high=8_000.0, group="Movement"),
            Parameter("depth", "Depth", "How far it sways to either side.", unit="oct", high=4.0,
                      default=1.2, moves=Moves.SHARED, group="Movement"),
            shared.percent("turn", "Turn", "How far the right side is behind; half a cycle at "
                         "100 %.", 25.0, group="Movement"),
            paced_parameter(group="Movement"),
            Parameter("stages", "Stages", "Two of them make a notch.", low=2, high=12, default=6,
                      kind=Kind.INTEGER, group="Colour"),
            shared.percent("feedback", "Feedback", "Peaks between the notches.", 30.0, low=-100.0,
                         group="Colour"),
            shared.mix("Turned against direct signal; notches are deepest in the middle.", 50.0),
        ),
    )
)  # fmt: skip
class Phaser(EffectLFO):
    """A chain of all-passes for each channel, as a function of time."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"chain": np.zeros((1, 2, int(self.part.number("stages"))))}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        centre, depth, turn, feedback, mix = (
            self.trajectory(key).values(block.moments)[0]
            for key in ("centre", "depth", "turn", "feedback", "mix")
        )
        phase = self.cycles(block)
        sway = np.sin(2.0 * np.pi * np.stack([phase, phase - turn / 200.0]))
        hertz = np.clip(centre * np.exp2(depth * sway), 10.0, None)
        run_all_passes(
            signal[None],
            cutoff_gain(hertz, self.rate)[None],
            MOST_FEEDBACK * feedback[None] / 100.0,
            mix[None] / 100.0,
            self.state["chain"],
        )

    def tail(self) -> float:
        """See `Processor.tail`, and that of the all-pass filter."""
        back = MOST_FEEDBACK * max(abs(b) for b in self.trajectory("feedback").reach()) / 100.0
        turns = 1.0 + math.log(1e-3) / math.log(max(back, 1e-3))
        lowest: float = (
            self.trajectory("centre").reach()[0] / 2.0 ** self.trajectory("depth").reach()[1]
        )
        return 2.0 * turns * self.part.number("stages") / (math.pi * max(lowest, 10.0))
