"""What effects that bend waves share: they work at four times the rate, at matched loudness."""

from __future__ import annotations

import math
from abc import abstractmethod

import numpy as np
from numpy.typing import NDArray

from caligo.movement.block import Block
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.fourfold import LATENCY, NEAR_TAPS, down, state, up
from caligo.signal.kernel import kernel
from caligo.signal.offset import STANDING, lose_offset
from caligo.signal.oversampling import FAR_TAPS
from caligo.signal.smoothing import one_pole

Numbers = tuple[NDArray[np.float64], ...]


@kernel
def mix_bent(tick: np.ndarray, direct: float, bent: np.ndarray, mix: float, to_mix: float) -> None:
    """Mix a bent wave ``[4 * TICK]`` into a tick ``[4 * TICK]``, in place.

    A mean of two neighbours lies half a sample back, and so does the direct signal then: `direct`
    is the value ahead of the tick. `mix` and `to_mix` are the share at its beginning and end.
    """
    size = len(tick)
    half, share, step = np.float32(0.5), np.float32(mix), np.float32((to_mix - mix) / size)
    halfway = np.empty(size, np.float32)
    halfway[0] = half * (tick[0] + np.float32(direct))
    later, onward = tick[1:], halfway[1:]
    for n in range(size - 1):
        onward[n] = half * (later[n] + tick[n])
    for n in range(size):
        tick[n] = halfway[n] + (share + np.float32(n) * step) * (bent[n] - halfway[n])


class Oversampled(Effect):
    """An effect that bends the wave of each side at four times the rate.

    The direct signal goes the same way, so that both stay together.
    """

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {**state(), "standing": np.zeros(2), **self.bent_state()}

    def bent_state(self) -> State:
        """What bending itself remembers, arrays by name."""
        return {}

    @abstractmethod
    def numbers(self, block: Block) -> Numbers:
        """What both sides are bent by, at every tick ``[ticks + 1]`` each."""

    @abstractmethod
    def bend(self, numbers: Numbers, wave: NDArray[np.float32], side: int) -> None:
        """Bend `wave` ``[4 * samples]`` of one side in place, its mix included."""

    def process_stereo(self, block: Block, signal: Signal, side: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        kept, numbers = self.state, self.numbers(block)
        for c in range(2):
            wave = up(
                np.ascontiguousarray(signal[c]),
                NEAR_TAPS,
                FAR_TAPS,
                kept["up_near"][c],
                kept["up_far"][c],
            )
            self.bend(numbers, wave, c)
            signal[c] = down(
                wave,
                NEAR_TAPS,
                FAR_TAPS,
                kept["down_near"][c],
                kept["down_far"][c],
                kept["waiting"][c],
            )
        # Uneven curves leave direct current.
        lose_offset(signal, one_pole(STANDING, self.rate), kept["standing"])
        if not np.isfinite(signal).all():
            self.reset()
            signal[:] = 0.0

    def tail(self) -> float:
        """See `Processor.tail`: what is taken away with the offset takes longest."""
        return 2.0 * LATENCY / self.rate + 6.9 / (2.0 * math.pi * STANDING)

    def latency(self) -> int:
        """See `Processor.latency`."""
        return LATENCY
