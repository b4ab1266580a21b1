"""The flanger: the sound against a copy that is a few milliseconds late, back and forth."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, register
from caligo.movement.block import Block
from caligo.movement.notes import Floats
from caligo.movement.periods import paced_parameter
from caligo.processing import shared
from caligo.processing.effect_lfo import EffectLFO
from caligo.processing.processor import Signal, State
from caligo.signal.delay_line import ring_size
from caligo.signal.short_loop import SHORTEST, run_short_loop
from caligo.signal.ticks import TICK

LONGEST = 20.0
MOST_FEEDBACK = 0.95
POINTS = 8
"""Points of a sweep in each tick: drawn in lines from tick to tick a quick one would leave images
of the ticks."""


def between_ticks(values: Floats) -> Floats:
    """What goes in lines from tick to tick, at `POINTS` in each ``[POINTS * ticks + 1]``."""
    ticks = len(values) - 1
    at = np.arange(POINTS * ticks + 1) / POINTS
    found: Floats = np.interp(at, np.arange(ticks + 1), values)
    return found


@register(
    Module(
        family="effect",
        kind="flanger",
        name="Flanger",
        help="A copy a few milliseconds late, whose time sways: a comb that sweeps.",
        category="Movement",
        parameters=(
            shared.period("Length of one sweep there and back.", 12.0),
            shared.milliseconds("delay", "Delay", "Shortest time of the copy.", 0.6, low=0.1,
                                high=LONGEST / 2.0, logarithmic=True, group="Movement"),
            shared.milliseconds("depth", "Depth", "How much longer it gets.", 3.0, low=0.0,
                                high=LONGEST / 2.0, group="Movement"),
            shared.percent("turn", "Turn", "How far the right side is behind in its sweep; half a "
                         "cycle at 100 %.", 50.0, group="Movement"),
            shared.percent("feedback", "Feedback", "How much of the copy is copied again; below "
                         "zero upside down.", 40.0, low=-100.0, group="Colour"),
            paced_parameter(group="Movement"),
            shared.mix("Copy against direct signal; the comb is deepest in the middle.", 50.0),
        ),
    )
)  # fmt: skip
class Flanger(EffectLFO):
    """A short loop for each channel, as a function of time."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"loop": np.zeros((1, 2, ring_size(LONGEST / 1000.0 * self.rate) + 1))}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        delay, depth, turn, feedback, mix = (
            self.trajectory(key).values(block.moments)[0]
            for key in ("delay", "depth", "turn", "feedback", "mix")
        )
        phase = between_ticks(self.cycles(block))
        turned = between_ticks(turn) / 200.0
        sway = 0.5 - 0.5 * np.cos(2.0 * np.pi * np.stack([phase, phase - turned]))
        way = between_ticks(delay) + between_ticks(depth) * sway
        length = np.maximum(way * self.rate / 1000.0, SHORTEST)
        back, fraction = MOST_FEEDBACK * feedback / 100.0, mix / 100.0
        # As loud on noise as without: the copy and what comes back add their power.
        power = (1.0 - fraction) ** 2 + fraction**2 / (1.0 - back**2)
        weights = np.stack([1.0 - fraction, 0.0 * fraction, fraction]) / np.sqrt(power)
        run_short_loop(
            signal[None],
            length[None],
            back[None],
            np.ones_like(back)[None],
            weights[None],
            block.span.first * TICK,
            self.state["loop"],
        )

    def tail(self) -> float:
        """See `Processor.tail`: copies until they are 60 dB down."""
        back = MOST_FEEDBACK * max(abs(b) for b in self.trajectory("feedback").reach()) / 100.0
        turns = 1.0 + math.log(1e-3) / math.log(max(back, 1e-3))
        return turns * LONGEST / 1000.0
