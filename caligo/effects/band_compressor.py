"""The band compressor: in each band, what is loud is turned down and what is soft up."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart
from caligo.kernels import kernel
from caligo.movement.block import Block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.processing.split import SETTLED, THREE, bands, split_parameters, split_state
from caligo.signal.aligned import zeros
from caligo.signal.dynamics import (
    PEAKS,
    QUIET,
    REACH,
    compress,
    followed_peaks,
    fractions_a_sample,
    lift,
    smoothed,
    turn_down,
)
from caligo.signal.one_tick import give_tick, take_tick
from caligo.signal.ticks import TICK

NAMES = (("low", "Lows"), ("middle", "Middle"), ("high", "Highs"))
KNEE = 6.0
"""Decibels over which the upper slope begins."""
QUICKER = np.array([2.0, 1.0, 0.5])
"""How long the bands' times are: lows need longer, for their waves are (common practice)."""
VALUES = ("threshold", "ratio", "floor", "lift_ratio", "{}_level", "mix", "attack", "release")
"""The numbers that stand in the rows of what the kernel is given, in order."""


@kernel(
    "f4[:, ::1], f8[:, ::1], f8[:, ::1], f4[:, ::1], f4[:, ::1], f4[:, ::1], f4[:, ::1], f8[:, ::1]"
)
def _compress_band(
    band: np.ndarray,
    values: np.ndarray,
    gains: np.ndarray,
    before: np.ndarray,
    weights: np.ndarray,
    tick: np.ndarray,
    workspace: np.ndarray,
    scratch: np.ndarray,
) -> None:
    """Turn a band ``[2, samples]`` down where it is loud and up where it is soft, in place.

    Parameters
    ----------
    values
        Threshold, slope, floor, lift's slope, what is given back, the mix, and the fractions of the
        way that are gone in a sample, up and down, at every tick ``[8, ticks + 1]``.
    gains
        The state of both followers ``[2, 2]``.
    before, weights
        See `followed_peaks`.
    tick, workspace, scratch
        Scratch memory for what happens in a tick, ``[2, TICK]``, as `followed_peaks` wants it, and
        ``[4, TICK]``.
    """
    threshold, slope, floor, more = values[0], values[1], values[2], values[3]
    made, mix, rise, fall = values[4], values[5], values[6], values[7]
    level, taken, given, knee = scratch[0], scratch[1], scratch[2], scratch[3, :2]
    knee[:] = KNEE
    for k in range(values.shape[1] - 1):
        ends = slice(k, k + 2)
        take_tick(band, k, tick)
        followed_peaks(tick, weights, before, workspace, level)
        compress(level, threshold[ends], slope[ends], knee, taken)
        smoothed(taken, rise[k], fall[k], gains[0])
        # What is lifted goes by the band's envelope: a wave is soft between its peaks.
        for n in range(TICK):
            level[n] -= QUIET
        smoothed(level, rise[k], fall[k], gains[1])
        for n in range(TICK):
            level[n] += QUIET
        lift(level, floor[ends], more[ends], given)
        for n in range(TICK):
            taken[n] -= given[n]
        turn_down(tick, taken, made[ends], mix[ends])
        give_tick(tick, band, k)


@register(
    Module(
        family="effect",
        kind="band_compressor",
        name="Split-band compressor",
        help="Turns loud bands down and lifts soft ones, so that what is hidden comes out.",
        category="Level",
        parameters=(
            *split_parameters(),
            shared.level("threshold", "Above", "Level from which on a band is turned down.",
                         -24.0, low=-60.0, high=0.0, group="Level"),
            Parameter("ratio", "Ratio above", "How many decibels more become one decibel more.",
                      low=1.0, high=20.0, default=3.0, scale=Scale.LOGARITHMIC,
                      moves=Moves.SHARED, group="Level"),
            shared.level("floor", "Below", "Level under which a band is lifted.", -42.0,
                         low=-80.0, high=-12.0, group="Level"),
            Parameter("lift_ratio", "Ratio below", "How many decibels less become one decibel "
                      "less.", low=1.0, high=8.0, default=1.5, scale=Scale.LOGARITHMIC,
                      moves=Moves.SHARED, group="Level"),
            shared.milliseconds("attack", "Attack", "How soon it acts in the middle band.", 15.0,
                                low=0.5, high=500.0, logarithmic=True, group="Time"),
            shared.milliseconds("release", "Release", "How soon it lets go there.", 180.0,
                                low=10.0, high=5_000.0, logarithmic=True, group="Time"),
            *(
                replace(
                    shared.level(f"{key}_level", f"{name} level", "Level of the band.", 0.0,
                                 low=-24.0, high=24.0, group="Output"),
                    when=THREE if key == "middle" else None,
                )
                for key, name in NAMES
            ),
            shared.mix("Compressed against whole signal."),
        ),
    )
)  # fmt: skip
class BandCompressor(Effect):
    """A compressor and its opposite in each of two or three bands."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._moved = self.bundle(*(key.format(band) for band, _ in NAMES for key in VALUES))
        self._tick, self._scratch = zeros((2, TICK)), zeros((4, TICK), float)
        self._workspace = zeros((3, REACH + TICK))

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {
            **split_state(),
            "gains": np.zeros((3, 2, 2)),
            "before": np.zeros((3, 2, REACH), np.float32),
        }

    def _values(self, moments: Moments) -> Floats:
        """The values of `_compress_band` for each of the bands ``[3 * 8, ticks + 1]``."""
        found = self._moved.values(moments).reshape(len(NAMES), len(VALUES), -1)
        found[:, (1, 3)] = 1.0 - 1.0 / found[:, (1, 3)]
        found[:, 5] /= 100.0
        found[:, 6:] = fractions_a_sample(QUICKER[:, None, None] * found[:, 6:], self.rate)
        return found.reshape(-1, len(moments.times))

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        moments = block.moments
        parts = bands(self, moments, signal)
        values = moments.for_all_notes(id(self), self._values)
        states = zip(self.state["gains"], self.state["before"], strict=True)
        for own, band, (gains, before) in zip(np.split(values, 3), parts, states, strict=True):
            _compress_band(
                band, own, gains, before, PEAKS, self._tick, self._workspace, self._scratch
            )
        signal[:] = parts[0] + parts[1] + parts[2]

    def tail(self) -> float:
        """See `Processor.tail`, and that of the compressor."""
        times = self.trajectory("attack").reach()[1] + self.trajectory("release").reach()[1]
        return SETTLED + 7.0 * float(QUICKER.max()) * times / 1000.0
