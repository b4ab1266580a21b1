"""What effects that bend waves share: they work at four times the rate, at matched loudness."""

from __future__ import annotations

import math
from abc import abstractmethod

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import device
from caligo.movement.block import Block
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.arrays import copy
from caligo.signal.four_rows import ROWS, down, up
from caligo.signal.fourfold import LATENCY, NEAR_TAPS, state
from caligo.signal.offset import STANDING, lose_offset
from caligo.signal.oversampling import FAR_TAPS
from caligo.signal.smoothing import one_pole
from caligo.signal.ticks import TICK

Numbers = tuple[NDArray[np.float64], ...]


SIZE = ROWS * TICK
"""Samples of a tick at four times the rate."""


@device
def ramp(value: float, to_value: float, out: np.ndarray) -> None:
    """A number that moves along a tick at four times the rate: its first value and step ``[2]``."""
    out[0], out[1] = value, (to_value - value) / SIZE


@device
def lead(tick: np.ndarray, before: float) -> None:
    """Fill the first row of ``[ROWS + 1, TICK]``: what comes ahead of each sample of the second.

    That is the last row, one place later, with `before` in front.
    """
    first = tick[0]
    first[0] = before
    copy(tick[ROWS], first[1:])


@device
def take_tick(rows: np.ndarray, k: int, before: float, tick: np.ndarray) -> None:
    """Tick `k` of `rows` ``[ROWS, samples]`` as ``[ROWS + 1, TICK]``, see `lead`."""
    for p in range(ROWS):
        copy(rows[p][k * TICK :], tick[p + 1])
    lead(tick, before)


@device
def mix_shaped(
    tick: np.ndarray, shaped: np.ndarray, mix: float, to_mix: float, rows: np.ndarray, k: int
) -> None:
    """Mix a bent wave ``[ROWS, TICK]`` with a direct one, as tick `k` of `rows`.

    A mean of two neighbours lies half a sample back, and so does the direct signal then: `tick` is
    as `take_tick` gives it. `mix` and `to_mix` are the fraction at its beginning and end.
    """
    half, fraction, step = np.float32(0.5), np.float32(mix), np.float32((to_mix - mix) / SIZE)
    for p in range(ROWS):
        x, y, wet = tick[p], tick[p + 1], shaped[p]
        out = rows[p][k * TICK : (k + 1) * TICK]
        for n in range(TICK):
            direct = half * (x[n] + y[n])
            out[n] = direct + (fraction + np.float32(ROWS * n + p) * step) * (wet[n] - direct)


class Oversampled(Effect):
    """An effect that bends the wave of each channel at four times the rate.

    The direct signal goes the same way, so that both stay together.
    """

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {**state(), "standing": np.zeros(2), **self.shaper_state()}

    def shaper_state(self) -> State:
        """What bending itself remembers, arrays by name."""
        return {}

    @abstractmethod
    def numbers(self, block: Block) -> Numbers:
        """What both channels are bent by, at every tick ``[ticks + 1]`` each."""

    @abstractmethod
    def waveshape(self, numbers: Numbers, rows: NDArray[np.float32], channel: int) -> None:
        """Bend `rows` ``[ROWS, samples]`` of one channel in place, its mix included."""

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        kept, numbers = self.state, self.numbers(block)
        rows = np.empty((ROWS, signal.shape[1]), np.float32)
        for c in range(2):
            up(signal[c], NEAR_TAPS, FAR_TAPS, kept["up_near"][c], kept["up_far"][c], rows)
            self.waveshape(numbers, rows, c)
            down(
                rows,
                NEAR_TAPS,
                FAR_TAPS,
                kept["down_near"][c],
                kept["down_far"][c],
                kept["waiting"][c],
                signal[c],
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
