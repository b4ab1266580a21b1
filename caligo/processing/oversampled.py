"""What effects that bend waves share: they work at four times the rate, at matched loudness."""

from __future__ import annotations

import math
from abc import abstractmethod

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Parameter
from caligo.kernels import device
from caligo.movement.block import Block
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.arrays import copy
from caligo.signal.four_rows import ROWS, down, up
from caligo.signal.fourfold import LATENCY, NEAR_TAPS, state
from caligo.signal.gains import scale_stereo
from caligo.signal.level_follower import (
    FOLLOWER_STATE,
    FOLLOWERS,
    SETTLED,
    follow_level,
    known_or_usual,
    matching_gain,
)
from caligo.signal.offset import STANDING, lose_offset
from caligo.signal.oversampling import FAR_TAPS
from caligo.signal.smoothing import one_pole
from caligo.signal.ticks import TICK
from caligo.signal.waveshaping import DRIVEN_AT, REFERENCE

Numbers = tuple[NDArray[np.float64], ...]
Rows = NDArray[np.float32]


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


def raise_channel(x: NDArray[np.float32], kept: State, channel: int, rows: Rows) -> None:
    """One channel ``[samples]`` at four times its rate, into `rows` ``[ROWS, samples]``.

    `kept` is what `caligo.signal.fourfold.state` begins with; it is carried on.
    """
    up(x, NEAR_TAPS, FAR_TAPS, kept["up_near"][channel], kept["up_far"][channel], rows)


def lower_channel(rows: Rows, kept: State, channel: int, out: NDArray[np.float32]) -> None:
    """`rows` at the channel's own rate again, into `out` ``[samples]``; see `raise_channel`."""
    near, far = kept["down_near"][channel], kept["down_far"][channel]
    down(rows, NEAR_TAPS, FAR_TAPS, near, far, kept["waiting"][channel], out)


def driven_parameter(group: str) -> Parameter:
    """What the drive of an effect relates to."""
    return Parameter(
        "driven",
        "Drive reference",
        "What drive relates to: the level that comes in, so that the loudness stays, or a wave at "
        "-12 dB, which then keeps its level.",
        default="level",
        kind=Kind.CHOICE,
        choices=(Choice("level", "Incoming level"), Choice("fixed", "-12 dB")),
        group=group,
    )


class Oversampled(Effect):
    """An effect that bends the wave of each channel at four times the rate.

    The direct signal goes the same way, so that both stay together.
    """

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        followed = np.zeros((1, 2, FOLLOWERS * FOLLOWER_STATE))
        return {**state(), "standing": np.zeros(2), "followed": followed, **self.shaper_state()}

    @property
    def _levelled(self) -> bool:
        """Whether drive relates to the level that comes in."""
        return self.part.text("driven") == "level"

    def shaper_state(self) -> State:
        """What bending itself remembers, arrays by name."""
        return {}

    @abstractmethod
    def numbers(
        self, block: Block, peak: NDArray[np.float64], ahead: NDArray[np.float64]
    ) -> Numbers:
        """What both channels are bent by, at every tick ``[ticks + 1]`` each.

        `peak` is that of the sine which keeps its level, and `ahead` a gain besides drive ``[ticks
        + 1]``.
        """

    @abstractmethod
    def waveshape(self, numbers: Numbers, rows: NDArray[np.float32], channel: int) -> None:
        """Bend `rows` ``[ROWS, samples]`` of one channel in place, its mix included."""

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        kept, levelled = self.state, self._levelled
        levels = follow_level(signal[None], self.rate, kept["followed"]) if levelled else None
        peak = (
            np.full(len(block.moments.times), REFERENCE)
            if levels is None
            else known_or_usual(levels[0])
        )
        ahead = (DRIVEN_AT if levelled else REFERENCE) / peak
        numbers = self.numbers(block, peak, ahead)
        rows = np.empty((ROWS, signal.shape[1]), np.float32)
        for c in range(2):
            raise_channel(signal[c], kept, c, rows)
            self.waveshape(numbers, rows, c)
            lower_channel(rows, kept, c, signal[c])
        # Uneven curves leave direct current.
        lose_offset(signal, one_pole(STANDING, self.rate), kept["standing"])
        if levels is not None:
            made = follow_level(signal[None], self.rate, kept["followed"], which=1)
            scale_stereo(signal[None], matching_gain(levels, made)[0])
        if not np.isfinite(signal).all():
            self.reset()
            signal[:] = 0.0

    def tail(self) -> float:
        """See `Processor.tail`: what is taken away with the offset takes longest."""
        return 2.0 * LATENCY / self.rate + 6.9 / (2.0 * math.pi * STANDING)

    def settling(self) -> float:
        """See `Processor.settling`."""
        return SETTLED if self._levelled else 0.0

    def latency(self) -> int:
        """See `Processor.latency`."""
        return LATENCY
