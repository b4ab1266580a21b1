"""The three-band compressor: in each band, what is loud is turned down and what is soft up."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.processing.split import SETTLED, bands, split_parameters, split_state
from caligo.signal.dynamics import QUIET, compress, followed_peaks, lift, smoothed, turned_down
from caligo.signal.kernel import kernel_with

NAMES = (("low", "Lows"), ("middle", "Middle"), ("high", "Highs"))
KNEE = 6.0
"""Decibels over which the upper slope begins."""
QUICKER = (2.0, 1.0, 0.5)
"""How long the bands' times are: lows need longer, for their waves are (common practice)."""


@kernel_with(allocates=True)
def _compress_band(
    band: np.ndarray,
    threshold: np.ndarray,
    slope: np.ndarray,
    floor: np.ndarray,
    lift_slope: np.ndarray,
    attack: np.ndarray,
    release: np.ndarray,
    made: np.ndarray,
    mix: np.ndarray,
    gains: np.ndarray,
) -> None:
    """Turn a band ``[2, samples]`` down where it is loud and up where it is soft, in place.

    Everything else is at every tick ``[ticks + 1]``, times in samples; `gains` is the state of
    both followers ``[2, 2]``.
    """
    level, taken, given = (
        np.empty(band.shape[1]),
        np.empty(band.shape[1]),
        np.empty(band.shape[1]),
    )
    followed_peaks(band, level)
    compress(level, threshold, slope, np.full(len(threshold), KNEE), taken)
    smoothed(taken, attack, release, gains[0])
    # What is lifted goes by the band's envelope: a wave is soft between its peaks.
    level -= QUIET
    smoothed(level, attack, release, gains[1])
    level += QUIET
    lift(level, floor, lift_slope, given)
    turned_down(band, taken - given, made, mix)


@register(
    Module(
        family="effect",
        kind="band_compressor",
        name="Three-band compressor",
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
                shared.level(f"{key}_level", f"{name} level", "Level of the band.", 0.0,
                             low=-24.0, high=24.0, group="Output")
                for key, name in NAMES
            ),
            shared.mix("Compressed against whole signal."),
        ),
    )
)  # fmt: skip
class BandCompressor(Effect):
    """A compressor and its opposite in each of three bands."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {**split_state(), "gains": np.zeros((3, 2, 2))}

    def process_stereo(self, block: Block, signal: Signal, side: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        value = {
            key: self.trajectory(key).values(block.moments)[0]
            for key in ("low_split", "high_split", "threshold", "ratio", "floor", "lift_ratio",
                        "attack", "release", "mix")
        }  # fmt: skip
        parts = bands(signal, value["low_split"], value["high_split"], self.rate, self.state)
        samples = self.rate / 1000.0
        attack, release, mix = samples * value["attack"], samples * value["release"], value["mix"]
        slopes = (1.0 - 1.0 / value["ratio"], 1.0 - 1.0 / value["lift_ratio"])
        for (key, _), band, longer, gains in zip(
            NAMES, parts, QUICKER, self.state["gains"], strict=True
        ):
            _compress_band(
                band,
                value["threshold"],
                slopes[0],
                value["floor"],
                slopes[1],
                longer * attack,
                longer * release,
                self.trajectory(f"{key}_level").values(block.moments)[0],
                mix / 100.0,
                gains,
            )
        signal[:] = parts[0] + parts[1] + parts[2]

    def tail(self) -> float:
        """See `Processor.tail`, and that of the compressor."""
        times = self.trajectory("attack").reach()[1] + self.trajectory("release").reach()[1]
        return SETTLED + 7.0 * max(QUICKER) * times / 1000.0
