"""What every effect is: a processor of one stereo signal."""

from __future__ import annotations

import numpy as np

from caligo.document.sound import EffectPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.movement.notes import whole
from caligo.processing.processor import Processor, Signal, State
from caligo.signal.aligned import aligned
from caligo.signal.decibels import gain
from caligo.signal.gains import scale_stereo
from caligo.signal.silence import silence_broken


class Effect(Processor):
    """A processor of one stereo signal, with its state as arrays by name.

    Subclasses give `initial_state`, `process_stereo` and `tail`.

    Attributes
    ----------
    cue
        The note that its periods count from and its fractions of a held note refer to: the whole
        cue.
    """

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self.cue = whole(movement.setting.score.length)
        self.state: State = {
            name: aligned(fresh) if isinstance(fresh, np.ndarray) else fresh
            for name, fresh in self.initial_state().items()
        }

    def initial_state(self) -> State:
        """The state before the first sound: arrays by name."""
        return {}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """Change `signal` ``[2, samples]`` in place; `sidechain` is as in `Processor.process`."""
        raise NotImplementedError

    def process(self, block: Block, signal: Signal, sidechain: Signal | None = None) -> None:
        """See `Processor.process`."""
        silence_broken(signal[0])
        self.process_stereo(block, signal[0], sidechain)
        level = self.trajectory("output").values(block.moments)[0]
        if level.any():
            scale_stereo(signal, gain(level))

    def reset(self) -> None:
        """See `Processor.reset`."""
        for name, fresh in self.initial_state().items():
            if isinstance(fresh, np.ndarray):
                self.state[name][:] = fresh

    def save_state(self) -> State:
        """See `Processor.save_state`."""
        return {name: array.copy() for name, array in self.state.items()}

    def restore_state(self, state: State) -> None:
        """See `Processor.restore_state`."""
        if state.keys() == self.state.keys() and all(
            state[name].shape == array.shape for name, array in self.state.items()
        ):
            for name, array in state.items():
                self.state[name][:] = array
