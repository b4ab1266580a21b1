"""Every filter as an effect: on one stereo signal, with the newest held note for its key."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from caligo.catalogue.module import Module
from caligo.catalogue.parameter import Moves
from caligo.document.pitch import MIDDLE_C_OCTAVES
from caligo.document.sound import FilterPart, Part
from caligo.movement.block import Block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.movement.voices import Tuning
from caligo.processing.filter import Filter
from caligo.processing.processor import Signal, State
from caligo.signal.offset import SETTLED, STANDING, lose_offset
from caligo.signal.silence import silence_broken
from caligo.signal.smoothing import one_pole

GLIDE = 0.02
"""Seconds in which the key follow goes from one note to the next, so that it does not click."""


class FilterEffect(Filter):
    """What a filter is besides, where it stands on a layer, a bus or the master."""

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._tuning = Tuning(movement.sound.number("a4"), movement.sound.scale)
        self._standing = np.zeros(2)

    @classmethod
    def follows_notes(cls, part: Part) -> bool:
        """See `Processor.follows_notes`."""
        return "key_follow" in part.params

    def process(self, block: Block, signal: Signal, sidechain: Signal | None = None) -> None:
        """See `Processor.process`."""
        silence_broken(signal[0])
        super().process(replace(block, pitch=self._pitch(block.moments)), signal, sidechain)
        if self.makes_offset:
            lose_offset(signal[0], one_pole(STANDING, self.rate), self._standing)

    def _pitch(self, moments: Moments) -> Floats:
        """Octaves over 1 Hz of the newest note, at first of the first ``[1, times]``."""
        started = moments.started
        if not len(started):
            return np.full((1, len(moments.times)), MIDDLE_C_OCTAVES)
        newest = np.maximum(moments.newest, 0)
        now = self._octaves(started.key[newest])
        before = self._octaves(started.key[np.maximum(newest - 1, 0)])
        since = moments.times - started.start[newest]
        found: Floats = before + np.clip(since / GLIDE, 0.0, 1.0) * (now - before)
        return found[None]

    def _octaves(self, keys: Floats) -> Floats:
        """Octaves over 1 Hz of keys ``[times]``."""
        some, places = np.unique(keys, return_inverse=True)
        found: Floats = np.array([self._tuning.octaves(int(key)) for key in some])[places]
        return found

    def tail(self) -> float:
        """See `Processor.tail`."""
        return super().tail() + (SETTLED if self.makes_offset else 0.0)

    def reset(self) -> None:
        """See `Processor.reset`."""
        super().reset()
        self._standing[:] = 0.0

    def save_state(self) -> State:
        """See `Processor.save_state`."""
        return super().save_state() | {"standing": self._standing.copy()}

    def restore_state(self, state: State) -> None:
        """See `Processor.restore_state`."""
        super().restore_state(state)
        self._standing[:] = state["standing"]


def derived(known: Iterable[tuple[Module, Any]]) -> Iterator[tuple[Module, type[Filter]]]:
    """The effects of all filters among the modules that are known, with their classes."""
    for spec, implementation in known:
        if spec.family == "filter":
            yield effect_of(spec, implementation)


def effect_of(spec: Module, filter_: type[Filter]) -> tuple[Module, type[Filter]]:
    """The effect that a filter is: its module, and its class.

    Parameters
    ----------
    spec
        The filter's module; what each note has of its own there, all share here.
    filter_
        Its class.
    """
    parameters = tuple(
        replace(p, moves=Moves.SHARED) if p.moves is Moves.PER_NOTE else p for p in spec.parameters
    )
    module = replace(
        spec,
        family="effect",
        kind=f"{spec.kind}_filter",
        name=f"{spec.name} filter",
        category="Filters",
        parameters=parameters,
    )
    return module, type(f"{filter_.__name__}Effect", (FilterEffect, filter_), {})
