"""What every filter is: a processor with a state for every voice."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.drive import Drive
from caligo.processing.feedback import Feedback
from caligo.processing.processor import Processor, Signal, State
from caligo.signal.channels import scale_channels
from caligo.signal.decibels import gain
from caligo.signal.fed_sections import Sections
from caligo.signal.level_follower import SETTLED

States = NDArray[np.float64]


class Filter(Processor):
    """A processor of voices. States are kept by the voices' names, one array for all of them.

    Subclasses set `state_shape` and give `process_streams` and `tail`. With `drive_parameters` in
    its module, a filter is driven. One with `feedback_parameters` calls `feed` where it has a
    `loop`.

    Attributes
    ----------
    state_shape
        The shape of one voice's state.
    followed
        What is known of the levels that drive relates to, see `caligo.signal.level_follower`.
    """

    state_shape: tuple[int, ...]
    followed: States

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._streams: tuple[str, ...] = ()
        self._states: States = np.zeros(0)
        self._shaped, self.followed = Drive.fresh(0)
        self._drive: Drive | None = None
        if "drive" in part.params and not self.drives_itself(part):
            drive = self.trajectory("drive")
            if drive.reach()[1] > 0.0:
                self._drive, self.makes_offset = Drive(drive, part.text("driven"), rate), True
        self.loop: Feedback | None = None
        self._linear = False
        if "loop_drive" in part.params:
            feedback = self.trajectory("feedback")
            if feedback.reach() != (0.0, 0.0):
                self.loop = Feedback(feedback, self.trajectory("loop_drive"), rate)

    @staticmethod
    def drives_itself(part: FilterPart) -> bool:
        """Whether the filter takes its drive into its own hands."""
        return False

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """Filter `signal` ``[streams, 2, samples]`` in place; `states` ``[streams, …]`` go on."""
        raise NotImplementedError

    def feed(
        self, block: Block, signal: Signal, sections: Sections, mix: States, states: States
    ) -> None:
        """Pass `signal` through sections that feed themselves; `mix` is ``[streams, ticks + 1]``.

        For `process_streams` of a filter with a `loop`.
        """
        assert self.loop is not None
        self.loop.process(block, signal, sections, mix, states, self.followed, self._linear)

    def process(self, block: Block, signal: Signal, sidechain: Signal | None = None) -> None:
        """See `Processor.process`."""
        self._process(block, signal, self._drive)

    def answer(self, block: Block, signal: Signal) -> None:
        """Filter `signal` ``[streams, 2, samples]`` in place as if the filter were not driven."""
        self._linear = True
        self._process(block, signal, None)
        self._linear = False

    def _process(self, block: Block, signal: Signal, drive: Drive | None) -> None:
        if block.streams != self._streams:
            self._follow(block.streams)
        if drive is not None and not drive.behind:
            drive.process(block, signal, self._shaped, self.followed)
        self.process_streams(block, signal, self._states)
        if drive is not None and drive.behind:
            drive.process(block, signal, self._shaped, self.followed)
        level = self.trajectory("output")
        if level.acts:
            gains = gain(level.values(block.moments))
            for stream, own in zip(signal, gains, strict=True):
                scale_channels(stream, np.stack([own, own]))

    def _follow(self, streams: tuple[str, ...]) -> None:
        """Go on with the states of these streams; new ones begin at rest, others are let go."""
        rows = {name: row for row, name in enumerate(self._streams)}
        fresh = np.zeros((len(streams), *self.state_shape)), *Drive.fresh(len(streams))
        for row, name in enumerate(streams):
            if name in rows:
                for state, kept in zip(fresh, self._kept(), strict=True):
                    state[row] = kept[rows[name]]
        self._streams = streams
        self._states, self._shaped, self.followed = fresh

    def _kept(self) -> tuple[States, States, States]:
        return self._states, self._shaped, self.followed

    def reset(self) -> None:
        """See `Processor.reset`."""
        self._streams, self._states = (), np.zeros(0)
        self._shaped, self.followed = Drive.fresh(0)

    def settling(self) -> float:
        """See `Processor.settling`."""
        driven = self._drive.settled if self._drive is not None else 0.0
        return driven + (SETTLED if self.loop is not None else 0.0)

    def save_state(self) -> State:
        """See `Processor.save_state`."""
        kept = tuple(state.copy() for state in self._kept())
        return {"streams": self._streams, "states": kept}

    def restore_state(self, state: State) -> None:
        """See `Processor.restore_state`."""
        own, shaped, followed = state["states"]
        if own.shape[1:] != self.state_shape:
            return
        self._streams = state["streams"]
        self._states, self._shaped, self.followed = own.copy(), shaped.copy(), followed.copy()
