"""What every filter is: a processor with a state for every voice."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.processor import Processor, Signal, State

States = NDArray[np.float64]


class Filter(Processor):
    """A processor of voices. States are kept by the voices' names, one array for all of them.

    Subclasses set `state_shape` and give `process_streams` and `tail`.

    Attributes
    ----------
    state_shape
        The shape of one voice's state.
    """

    state_shape: tuple[int, ...]

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._streams: tuple[str, ...] = ()
        self._states: States = np.zeros(0)

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """Filter `signal` ``[streams, 2, samples]`` in place; `states` ``[streams, …]`` go on."""
        raise NotImplementedError

    def process(self, block: Block, signal: Signal, side: Signal | None = None) -> None:
        """See `Processor.process`."""
        if block.streams != self._streams:
            self._follow(block.streams)
        self.process_streams(block, signal, self._states)

    def _follow(self, streams: tuple[str, ...]) -> None:
        """Go on with the states of these streams; new ones begin at rest, others are let go."""
        rows = {name: row for row, name in enumerate(self._streams)}
        states = np.zeros((len(streams), *self.state_shape))
        for row, name in enumerate(streams):
            if name in rows:
                states[row] = self._states[rows[name]]
        self._streams, self._states = streams, states

    def reset(self) -> None:
        """See `Processor.reset`."""
        self._streams, self._states = (), np.zeros(0)

    def save_state(self) -> State:
        """See `Processor.save_state`."""
        return {"streams": self._streams, "states": self._states.copy()}

    def restore_state(self, state: State) -> None:
        """See `Processor.restore_state`."""
        if state["states"].shape[1:] == self.state_shape:
            self._streams, self._states = state["streams"], state["states"].copy()
