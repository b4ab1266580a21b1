"""The compressor: what is louder than its threshold is turned down."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Kind, Module, Moves, Parameter, Scale, register
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.dynamics import compress, followed_peaks, smoothed, turned_down
from caligo.signal.sections import HIGHPASS, run_sections
from caligo.signal.state_variable import corner_gain

LOWEST = 20.0


@register(
    Module(
        family="effect",
        kind="compressor",
        name="Compressor",
        help="Turns down what is louder than a threshold; it may listen to another signal.",
        category="Level",
        parameters=(
            shared.level("threshold", "Threshold", "Level from which on it acts.", -24.0,
                         low=-60.0, high=0.0, group="Level"),
            Parameter("ratio", "Ratio", "How many decibels more become one decibel more.",
                      low=1.0, high=20.0, default=3.0, scale=Scale.LOGARITHMIC,
                      moves=Moves.SHARED, group="Level"),
            Parameter("knee", "Knee", "Over how many decibels it sets in.", unit="dB", high=24.0,
                      default=6.0, moves=Moves.SHARED, group="Level"),
            shared.level("make_up", "Make-up", "Level given back.", 0.0, low=-24.0, high=24.0,
                         group="Level"),
            shared.milliseconds("attack", "Attack", "How soon it acts.", 20.0, low=0.1,
                                high=500.0, logarithmic=True, group="Time"),
            shared.milliseconds("release", "Release", "How soon it lets go.", 250.0, low=10.0,
                                high=5_000.0, logarithmic=True, group="Time"),
            Parameter("side", "Listens to", "Another signal that turns this one down.",
                      default="", kind=Kind.REFERENCE, of="signal", group="Side"),
            shared.hertz("side_cut", "Low cut of what it hears",
                         "Lows under this do not turn anything down.", LOWEST, high=500.0,
                         group="Side"),
            shared.mix("Compressed against whole signal."),
        ),
    )
)  # fmt: skip
class Compressor(Effect):
    """Both sides together, by the louder one."""

    has_side = True

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"gain": np.zeros(2), "cut": np.zeros((1, 2, 2))}

    def process_stereo(self, block: Block, signal: Signal, side: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        value = {
            key: self.trajectory(key).values(block.moments)[0]
            for key in ("threshold", "ratio", "knee", "make_up", "attack", "release", "side_cut",
                        "mix")
        }  # fmt: skip
        heard = (signal if side is None else side).copy()
        cut = value["side_cut"]
        if cut.max() > LOWEST:
            ones = np.ones_like(cut)[None]
            corner = np.repeat(corner_gain(cut, self.rate)[None, None, None], 2, axis=2)
            damping, lift = ones * np.sqrt(2.0), 0.0 * ones
            run_sections(heard[None], corner, damping, HIGHPASS, lift, ones, self.state["cut"])
        level, taken = np.empty(heard.shape[1]), np.empty(heard.shape[1])
        followed_peaks(heard, level)
        slope = 1.0 - 1.0 / value["ratio"]
        compress(level, value["threshold"], slope, value["knee"], taken)
        samples = self.rate / 1000.0
        smoothed(taken, samples * value["attack"], samples * value["release"], self.state["gain"])
        turned_down(signal, taken, value["make_up"], value["mix"] / 100.0)

    def tail(self) -> float:
        """See `Processor.tail`: 60 dB taken are forgotten to a tenth of a decibel."""
        times = self.trajectory("attack").reach()[1] + self.trajectory("release").reach()[1]
        return 7.0 * times / 1000.0 + (
            0.5 if self.trajectory("side_cut").reach()[1] > LOWEST else 0
        )
