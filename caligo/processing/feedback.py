"""Feedback around a filter: its output into its input, bent on the way."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Moves, Parameter, Scale
from caligo.movement.block import Block
from caligo.movement.trajectory import Trajectory
from caligo.processing.processor import Signal
from caligo.signal.decibels import gain
from caligo.signal.fed_sections import Sections, run_fed
from caligo.signal.level_follower import follow_level, known_or_usual

States = NDArray[np.float64]
MOST = 0.97
"""The loop's gain at most: at 1 it would sing for ever, and no start could know its phase."""
HEADROOM = 4.0
"""Times the level that comes in at which what goes back is bent without drive: 12 dB over it."""
FOLLOWER = 2
"""Which of a filter's followers is of what goes into the loop."""


def feedback_parameters(group: str = "Feedback") -> tuple[Parameter, ...]:
    """How far a filter feeds itself, and how hard that is driven; see `Feedback`."""
    return (
        Parameter(
            "feedback",
            "Feedback",
            "How much of what comes out goes in again, a sample later; below zero turned over.",
            unit="%",
            low=-100.0,
            high=100.0,
            default=0.0,
            moves=Moves.PER_NOTE,
            idle=0.0,
            off=0.0,
            group=group,
        ),
        Parameter(
            "loop_drive",
            "Drive in the loop",
            "How hard what goes in again is bent.",
            unit="dB",
            high=36.0,
            default=0.0,
            scale=Scale.DECIBEL,
            moves=Moves.PER_NOTE,
            group=group,
            when=("feedback", ()),
        ),
    )


class Feedback:
    """The loop of a filter that is made of second-order sections.

    Parameters
    ----------
    feedback, drive
        How much goes back in per cent, and how hard it is driven in decibels.
    rate
        Samples per second.
    """

    def __init__(self, feedback: Trajectory, drive: Trajectory, rate: int) -> None:
        self._feedback = feedback
        self._drive = drive
        self._rate = rate

    @property
    def longer(self) -> float:
        """How many times as long as without it a filter rings at most."""
        most = MOST * max(abs(bound) for bound in self._feedback.reach()) / 100.0
        return 1.0 / (1.0 - most)

    def process(
        self,
        block: Block,
        signal: Signal,
        sections: Sections,
        mix: NDArray[np.float64],
        states: States,
        followed: States,
        linear: bool,
    ) -> None:
        """Filter `signal` ``[streams, 2, samples]`` in place; states and levels go on.

        The loop is not driven where it is to be `linear`.
        """
        level = known_or_usual(follow_level(signal, self._rate, followed, which=FOLLOWER))
        steepness = gain(self._drive.values(block.moments)) / (HEADROOM * level)
        steepness = 0.0 * steepness if linear else steepness
        feedback = MOST * self._feedback.values(block.moments) / 100.0
        run_fed(signal, sections, feedback, steepness, mix, states)
