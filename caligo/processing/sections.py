"""What filters made of equal second-order sections share."""

from __future__ import annotations

from abc import abstractmethod
from typing import ClassVar

import numpy as np

from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.cutoff import Floats, followed, lowest_cutoff, ringing
from caligo.processing.filter import Filter, States
from caligo.processing.matching import blend, scale_voices
from caligo.processing.processor import Signal
from caligo.signal.fed_sections import Sections
from caligo.signal.matched import PEAK, sections_of
from caligo.signal.sections import run_sections

Values = dict[str, Floats]
"""Values of parameters at every tick ``[voices, ticks + 1]``, by key."""


class SectionFilter(Filter):
    """A filter of equal sections one after the other.

    Attributes
    ----------
    keys
        The parameters that it has besides cutoff, key follow and mix.
    shape
        One of those of `caligo.signal.matched`.
    """

    keys: ClassVar[tuple[str, ...]]
    shape: ClassVar[int]

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        keys = ("cutoff", "key_follow", "mix", *self.keys)
        self.trajectories = {key: self.trajectory(key) for key in keys}
        self.state_shape = (2, 2 * self.sections() + (self.loop is not None))

    @abstractmethod
    def sections(self) -> int:
        """How many sections there are."""

    @abstractmethod
    def cutoffs(self, hertz: Floats, values: Values) -> Floats:
        """Corners in Hz of each section and side ``[voices, sections, 2, ticks + 1]``."""

    @abstractmethod
    def damping(self, values: Values) -> Floats:
        """1 / Q of a section ``[voices, ticks + 1]``."""

    @abstractmethod
    def widest_quality(self) -> float:
        """The highest Q that a section may have."""

    def gain(self, values: Values) -> Floats:
        """The root of the factor at a bell's peak ``[voices, ticks + 1]``."""
        return np.ones_like(values["mix"])

    def highest_gain(self, values: Values) -> Floats:
        """The gain at its peak ``[voices, ticks + 1]``."""
        return np.ones_like(values["mix"])

    def compensation(self, hertz: Floats, values: Values) -> Floats | None:
        """The gain at which it is as loud as what comes in ``[voices, ticks + 1]``, if it is to."""
        return None

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """See `Filter.process_streams`."""
        values = {key: one.values(block.moments) for key, one in self.trajectories.items()}
        hertz = followed(values["cutoff"], values["key_follow"], block)
        mix, scale = values["mix"] / 100.0, None
        made_up = self.compensation(hertz, values)
        if made_up is not None:
            mix, scale = blend(mix, made_up)
        cutoffs = self.cutoffs(hertz, values)
        damping, gain = self.damping(values)[:, None], self.gain(values)[:, None]
        sections = [
            sections_of(self.shape, cutoffs[:, s], damping, self.rate, gain)
            for s in range(self.sections())
        ]
        if self.loop is not None:
            fed = Sections(sections, False, PEAK * self.highest_gain(values))
            self.feed(block, signal, fed, mix, states)
        else:
            run_sections(signal, sections, mix, states)
        if scale is not None:
            scale_voices(signal, scale)

    def tail(self) -> float:
        """See `Filter.tail`; equal resonances behind each other fade later than one."""
        own = self.trajectories
        lowest = lowest_cutoff(own["cutoff"], own["key_follow"], own.get("spread"))
        longer = self.loop.longer if self.loop is not None else 1.0
        behind = 1.0 + 0.25 * (self.sections() - 1)
        return longer * behind * ringing(self.widest_quality(), lowest)
