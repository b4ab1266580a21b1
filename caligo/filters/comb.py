"""The comb: a short echo in a loop, tuned to the key."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.cutoff import (
    followed,
    key_follow_parameter,
    lowest_cutoff,
    mix_parameter,
    spread_cutoffs,
    spread_parameter,
)
from caligo.processing.drive import drive_parameters
from caligo.processing.filter import Filter, States
from caligo.processing.processor import Signal
from caligo.signal.delay_line import ring_size
from caligo.signal.short_loop import SHORTEST, run_short_loop
from caligo.signal.smoothing import one_pole_at, one_pole_delay
from caligo.signal.ticks import TICK

LOWEST = 20.0
MOST_FEEDBACK = 0.995


@register(
    Module(
        family="filter",
        kind="comb",
        name="Comb",
        help="A short echo in a loop: it rings at the tuned frequency and all its multiples.",
        category="Colour",
        parameters=(
            Parameter(
                "cutoff",
                "Tuned to",
                "Frequency at which it rings.",
                unit="Hz",
                low=LOWEST,
                high=8_000.0,
                default=261.6255653,
                scale=Scale.LOGARITHMIC,
                moves=Moves.PER_NOTE,
                group="Ringing",
                follows_key="key_follow",
            ),
            Parameter(
                "feedback",
                "Feedback",
                "How long it rings; below zero the even multiples are missing, an octave lower.",
                unit="%",
                low=-100.0,
                high=100.0,
                default=80.0,
                moves=Moves.PER_NOTE,
                group="Ringing",
            ),
            Parameter(
                "damping",
                "Damping",
                "Frequency above which each echo gets darker.",
                unit="Hz",
                low=500.0,
                high=20_000.0,
                default=9_000.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.PER_NOTE,
                group="Ringing",
            ),
            key_follow_parameter(100.0, "Ringing"),
            spread_parameter("Ringing"),
            *drive_parameters("Ringing"),
            mix_parameter(60.0, "Ringing"),
        ),
    )
)
class Comb(Filter):
    """A loop of one echo, its length made up for what its damping delays."""

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        keys = ("cutoff", "feedback", "damping", "key_follow", "spread", "mix")
        self._trajectories = {key: self.trajectory(key) for key in keys}
        self._longest = rate / LOWEST
        self.state_shape = (2, ring_size(self._longest) + 1)

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """See `Filter.process_streams`."""
        values = {
            key: trajectory.values(block.moments) for key, trajectory in self._trajectories.items()
        }
        tuned = spread_cutoffs(
            followed(values["cutoff"], values["key_follow"], block), values["spread"]
        )
        dark = one_pole_at(values["damping"], self.rate)
        if dark.shape != values["damping"].shape:
            dark = np.broadcast_to(dark, values["damping"].shape)
        turn = 2.0 * np.pi * np.minimum(tuned / self.rate, 0.49)
        latency = one_pole_delay(turn, dark[:, None])
        length = np.clip(self.rate / tuned - latency, SHORTEST, self._longest)
        feedback, mix = MOST_FEEDBACK * values["feedback"] / 100.0, values["mix"] / 100.0
        # Noise keeps its level; the loop makes its power 1 / (1 - feedback^2) as much.
        heard = mix * np.sqrt(1.0 - feedback**2)
        run_short_loop(
            signal,
            length,
            feedback,
            np.array(dark, order="C"),
            np.stack([1.0 - mix, heard, 0.0 * mix], axis=1),
            block.span.first * TICK,
            states,
        )

    def tail(self) -> float:
        """See `Processor.tail`: an echo for each turn of the loop."""
        own = self._trajectories
        lowest = max(LOWEST, lowest_cutoff(own["cutoff"], own["key_follow"], own["spread"]))
        back = MOST_FEEDBACK * max(abs(bound) for bound in own["feedback"].reach()) / 100.0
        return (1.0 + math.log(1e-4) / math.log(max(back, 1e-4))) / lowest
