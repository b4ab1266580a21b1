"""One of a layer's sources, with all that is its own ahead of the layer's filters."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import implementation
from caligo.catalogue.placement import ALL
from caligo.document.sound import Layer, Sound, SourcePart
from caligo.engine.layers.cross_modulation import CrossModulation, Modulator
from caligo.engine.layers.pitch import LayerPitch
from caligo.engine.layers.split_source import SplitSource
from caligo.engine.layers.voicing import Voicing
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive, text_seed
from caligo.movement.envelope import SourceEnvelope
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.movement.voices import zone_gains
from caligo.processing.processor import State
from caligo.signal.channels import scale_channels
from caligo.signal.pan import balance
from caligo.signal.ticks import TICK
from caligo.synthesis.source import Source

Signal = NDArray[np.float32]

FIRST = "source"
"""The id of the only source that layers had before schema 9; its chance is the layer's."""


class SourceInput:
    """A source, its modulation by other layers, its envelope, balance and range.

    Parameters
    ----------
    others
        The ids of the layers that modulate this one.
    workers
        How many play its voices at the same time.

    Attributes
    ----------
    entry
        The number of the filter that it enters at; None for all of them.
    """

    def __init__(
        self,
        sound: Sound,
        layer: Layer,
        part: SourcePart,
        movement: Movement,
        rate: int,
        others: Sequence[str],
        workers: int = 1,
    ) -> None:
        self.part = part
        self.address = f"{layer.id}.{part.id}"
        self.rate = rate
        self.pitch = LayerPitch(layer.id, movement, part.octave)
        entry = part.text("entry")
        self.entry = None if entry == ALL else int(entry) - 1
        seed = derive(sound.seed, text_seed(layer.id if part.id == FIRST else self.address))

        def make() -> Source:
            made: Source = implementation("source", part.kind)(
                part, self.address, movement, rate, seed
            )
            return made

        self._split = SplitSource(make, workers)
        self._modulation = CrossModulation(layer, others, movement, self.pitch, rate)
        self._pan = movement.trajectory(f"{self.address}.source_pan")
        self._filtered = movement.trajectory(f"{self.address}.filtered")
        fades = part.text("own_envelope") == "yes"
        self._envelope = SourceEnvelope(movement, self.address) if fades else None

    @property
    def source(self) -> Source:
        """The source; where several workers play it, one of theirs."""
        return self._split.one

    @property
    def makes_offset(self) -> bool:
        """Whether direct current may come of it."""
        return self.source.makes_offset or self._modulation.acts

    @property
    def has_unfiltered(self) -> bool:
        """Whether some of it may go around the layer's filters."""
        return self._goes_around or self.source.has_unfiltered

    @property
    def _goes_around(self) -> bool:
        return self._filtered.moved or self._filtered.base < 100.0

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices."""
        self._voicing = voicing
        self._split.play(voicing.voices)
        self._zones = zone_gains(self.part, voicing.voices)

    def change(self, layer: Layer) -> None:
        """Take up edited numbers."""
        self._modulation.change(layer)
        self._split.prepare()

    def played(self, rows: list[int]) -> list[int]:
        """Those of the voices that lie in its range."""
        return [row for row in rows if self._zones[row] > 0.0]

    def render(
        self,
        block: SourceBlock,
        rows: list[int],
        part_of: Callable[[list[int]], SourceBlock],
        modulator: Modulator,
    ) -> Signal:
        """Its voices ahead of the filters ``[voices, 2, samples]``.

        What goes around the filters is put into `SourceBlock.unfiltered`.

        Parameters
        ----------
        rows
            The numbers of the block's voices.
        part_of
            The block with some of its voices only, by their rows.
        modulator
            The waves of another layer's voices ``[voices, samples]``.
        """
        signal = np.zeros((len(rows), 2, block.span.samples), np.float32)
        self._split.render(block, signal, part_of)
        for row, voice in enumerate(block.voices):
            # Before its first tick a voice is silent, or its filters would begin too early.
            wait = math.floor(voice.start * self.rate / TICK) - block.span.first
            if wait > 0:
                signal[row, :, : wait * TICK] = 0.0
                if block.unfiltered is not None:
                    block.unfiltered[row, :, : wait * TICK] = 0.0
        self._modulation.process(block, self._voicing, signal, modulator)
        self._place(block, rows, signal)
        return signal

    def _place(self, block: SourceBlock, rows: list[int], signal: Signal) -> None:
        """Range, envelope and balance; then what goes around the filters parts."""
        gains = self._gains(block, rows)
        heard = [signal] if block.unfiltered is None else [signal, block.unfiltered]
        if self._pan.acts:
            sides = balance(self._pan.values(block.moments))
            channels = np.stack([side if gains is None else side * gains for side in sides], axis=1)
        elif gains is not None:
            channels = np.stack([gains, gains], axis=1)
        else:
            channels = None
        if channels is not None:
            for voices in heard:
                for row, voice in enumerate(voices):
                    scale_channels(voice, np.ascontiguousarray(channels[row]))
        if block.unfiltered is None or not self._goes_around:
            return
        through = self._filtered.values(block.moments) / 100.0
        for row, voice in enumerate(signal):
            around = voice.copy()
            scale_channels(around, np.stack([1.0 - through[row]] * 2))
            scale_channels(voice, np.stack([through[row]] * 2))
            block.unfiltered[row] += around

    def _gains(self, block: SourceBlock, rows: list[int]) -> Floats | None:
        """Range and envelope ``[voices, ticks + 1]``; None where they leave all as it is."""
        zones = self._zones[rows]
        if self._envelope is None:
            if (zones == 1.0).all():
                return None
            return np.repeat(zones[:, None], block.span.ticks + 1, axis=1)
        return zones[:, None] * self._envelope.values(block.moments)

    def tail(self) -> float:
        """Seconds of preroll after which it is as if it had always run."""
        return self.source.tail() + self._modulation.tail()

    def latency(self) -> int:
        """Samples by which it is late."""
        return self._modulation.latency()

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        self._modulation.reset()

    def save_state(self) -> State:
        """A copy of the state."""
        return {
            "kind": self.part.kind,
            "source": self._split.save_state(),
            "modulation": self._modulation.save_state(),
        }

    def restore_state(self, state: State) -> None:
        """Take over the state of another input with the same id, where it still fits."""
        if state["kind"] == self.part.kind:
            self._split.restore_state(state["source"])
        self._modulation.restore_state(state["modulation"])
