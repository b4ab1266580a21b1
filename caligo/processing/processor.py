"""What everything that processes a signal is: a filter, an effect, an effect that holds chains."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, ClassVar, Protocol

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import Part
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.movement.trajectory import Bundle, Trajectory

Signal = NDArray[np.float32]
State = dict[str, Any]
"""What a processor remembers: arrays, and the states of what it contains, by name."""


class Container(Protocol):
    """What a processor holds inside, see `caligo.processing.chain.Chain`."""

    def walk(self) -> Iterator[Any]:
        """Its slots, and those of what is inside them."""


class Processor:
    """Something that a signal passes through; it alone may remember what it heard before.

    Parameters
    ----------
    part
        The part of the document that it is made from.
    address
        Where the part lies, such as ``ground.filter1``.
    rate
        Samples per second.

    Attributes
    ----------
    has_sidechain
        Whether it listens to a second signal (sidechain), named by its parameter ``side``.
    makes_offset
        Whether, as a filter, it bends waves: what direct current comes of it, its layer loses. An
        effect loses its own.
    sidechains
        What there is to listen to ``[2, samples]``, by layer or bus, for the chains inside it.
    """

    has_sidechain: ClassVar[bool] = False
    makes_offset: bool = False

    def __init__(self, part: Part, address: str, movement: Movement, rate: int) -> None:
        self.part = part
        self.address = address
        self.movement = movement
        self.rate = rate
        self.sidechains: Mapping[str, Signal] = {}
        self._known: dict[str, Trajectory] = {}

    @classmethod
    def follows_notes(cls, part: Part) -> bool:
        """Whether it goes by all notes that are played, also by those that its layer leaves out."""
        return False

    @property
    def kind(self) -> str:
        """The kind of module: a state fits only a processor of the same address and kind."""
        return f"{self.part.family}/{self.part.kind}"

    @property
    def sidechain(self) -> str:
        """The id of the layer or bus that it listens to besides its input, or nothing."""
        return self.part.text("side") if self.has_sidechain else ""

    def trajectory(self, key: str) -> Trajectory:
        """One of its parameters over time."""
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = self.movement.trajectory(f"{self.address}.{key}")
        return found

    def bundle(self, *keys: str) -> Bundle:
        """Some of its parameters, whose values are taken together."""
        return Bundle([self.trajectory(key) for key in keys])

    def process(self, block: Block, signal: Signal, sidechain: Signal | None = None) -> None:
        """Change a signal in place.

        Parameters
        ----------
        signal
            ``[streams, 2, samples]``, a stream for each voice of the block, or one.
        sidechain
            The second input ``[2, samples]``, if it takes one and there is one.
        """
        raise NotImplementedError

    def inner(self) -> Sequence[Container]:
        """The chains inside it."""
        return ()

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        raise NotImplementedError

    def save_state(self) -> State:
        """A copy of the state."""
        raise NotImplementedError

    def restore_state(self, state: State) -> None:
        """Take over a state that `save_state` gave; what does not fit is left out."""
        raise NotImplementedError

    def tail(self) -> float:
        """Seconds after which what it remembers has faded; infinite if it never does."""
        raise NotImplementedError

    def settling(self) -> float:
        """Seconds, besides its tail, after which the levels that it goes by are known."""
        return 0.0

    def latency(self) -> int:
        """Samples by which its output is late."""
        return 0
