"""The all-pass chain: notches that lie in pairs, and move as one."""

from __future__ import annotations

import math

from caligo.catalogue import Kind, Module, Moves, Parameter, register
from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.cutoff import (
    cutoff_parameter,
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
from caligo.signal.first_order import run_all_passes
from caligo.signal.state_variable import cutoff_gain

MOST_FEEDBACK = 0.95


@register(
    Module(
        family="filter",
        kind="allpass",
        name="All-pass chain",
        help="Turns phases, so that notches appear where it meets the direct signal.",
        category="Colour",
        parameters=(
            cutoff_parameter(700.0, "Frequency that the notches lie around."),
            Parameter(
                "stages",
                "Stages",
                "How many all-passes stand one behind the other; two make a notch.",
                low=2,
                high=12,
                default=6,
                kind=Kind.INTEGER,
                group="Cut",
            ),
            Parameter(
                "feedback",
                "Feedback",
                "How much goes through again: peaks between the notches.",
                unit="%",
                low=-100.0,
                high=100.0,
                default=30.0,
                moves=Moves.PER_NOTE,
                group="Cut",
            ),
            key_follow_parameter(),
            spread_parameter(),
            *drive_parameters(),
            mix_parameter(50.0),
        ),
    )
)
class AllPass(Filter):
    """First-order all-passes with feedback around them."""

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        keys = ("cutoff", "feedback", "key_follow", "spread", "mix")
        self._trajectories = {key: self.trajectory(key) for key in keys}
        self._stages = int(part.number("stages"))
        self.state_shape = (2, self._stages)

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """See `Filter.process_streams`."""
        values = {
            key: trajectory.values(block.moments) for key, trajectory in self._trajectories.items()
        }
        hertz = followed(values["cutoff"], values["key_follow"], block)
        run_all_passes(
            signal,
            cutoff_gain(spread_cutoffs(hertz, values["spread"]), self.rate),
            MOST_FEEDBACK * values["feedback"] / 100.0,
            values["mix"] / 100.0,
            states,
        )

    def tail(self) -> float:
        """See `Processor.tail`: a turn takes the group delay, and loses what feedback leaves out.

        At the cutoff each first-order all-pass delays by ``1 / (pi f)``, and by twice that below.
        """
        own = self._trajectories
        lowest = lowest_cutoff(own["cutoff"], own["key_follow"], own["spread"])
        back = MOST_FEEDBACK * max(abs(bound) for bound in own["feedback"].reach()) / 100.0
        turns = 1.0 + math.log(1e-4) / math.log(max(back, 1e-4))
        return 2.0 * turns * self._stages / (math.pi * lowest)
