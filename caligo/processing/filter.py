"""What every filter is: a processor with a state for every voice."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.movement.trajectory import Trajectory
from caligo.processing.processor import Processor, Signal, State
from caligo.signal.channels import scale_channels
from caligo.signal.decibels import gain
from caligo.signal.waveshaping import SHAPER_STATE, run_waveshaper

States = NDArray[np.float64]


class Filter(Processor):
    """A processor of voices. States are kept by the voices' names, one array for all of them.

    Subclasses set `state_shape` and give `process_streams` and `tail`. With `drive_parameter` in
    its module, what comes into a filter is driven.

    Attributes
    ----------
    state_shape
        The shape of one voice's state.
    drives_itself
        Whether the filter takes its drive into its own hands.
    """

    state_shape: tuple[int, ...]
    drives_itself: ClassVar[bool] = False

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._streams: tuple[str, ...] = ()
        self._states: States = np.zeros(0)
        self._shaper_state: States = np.zeros(0)
        self._drive: Trajectory | None = None
        if "drive" in part.params and not self.drives_itself:
            drive = self.trajectory("drive")
            if drive.reach()[1] > 0.0:
                self._drive, self.makes_offset = drive, True

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """Filter `signal` ``[streams, 2, samples]`` in place; `states` ``[streams, …]`` go on."""
        raise NotImplementedError

    def process(self, block: Block, signal: Signal, sidechain: Signal | None = None) -> None:
        """See `Processor.process`."""
        if block.streams != self._streams:
            self._follow(block.streams)
        if self._drive is not None:
            run_waveshaper(signal, gain(self._drive.values(block.moments)), self._shaper_state)
        self.process_streams(block, signal, self._states)
        level = self.trajectory("output")
        if level.acts:
            gains = gain(level.values(block.moments))
            for stream, own in zip(signal, gains, strict=True):
                scale_channels(stream, np.stack([own, own]))

    def _follow(self, streams: tuple[str, ...]) -> None:
        """Go on with the states of these streams; new ones begin at rest, others are let go."""
        rows = {name: row for row, name in enumerate(self._streams)}
        states = np.zeros((len(streams), *self.state_shape))
        shaped = np.zeros((len(streams), 2, SHAPER_STATE if self._drive else 0))
        for row, name in enumerate(streams):
            if name in rows:
                states[row], shaped[row] = self._states[rows[name]], self._shaper_state[rows[name]]
        self._streams, self._states, self._shaper_state = streams, states, shaped

    def reset(self) -> None:
        """See `Processor.reset`."""
        self._streams, self._states, self._shaper_state = (), np.zeros(0), np.zeros(0)

    def save_state(self) -> State:
        """See `Processor.save_state`."""
        return {
            "streams": self._streams,
            "states": self._states.copy(),
            "bent": self._shaper_state.copy(),
        }

    def restore_state(self, state: State) -> None:
        """See `Processor.restore_state`."""
        if state["states"].shape[1:] != self.state_shape:
            return
        if state["bent"].shape[1:] != (2, SHAPER_STATE if self._drive else 0):
            return
        self._streams = state["streams"]
        self._states, self._shaper_state = state["states"].copy(), state["bent"].copy()
