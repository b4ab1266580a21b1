"""Drive at a filter: ahead of it or behind it, what is loud is bent."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Moves, Parameter, Scale
from caligo.movement.block import Block
from caligo.movement.trajectory import Trajectory
from caligo.processing.matching import scale_voices
from caligo.processing.processor import Signal
from caligo.signal.decibels import gain
from caligo.signal.level_follower import (
    FOLLOWER_STATE,
    FOLLOWERS,
    SETTLED,
    follow_level,
    known_or_usual,
    matching_gain,
)
from caligo.signal.waveshaping import SHAPER_STATE, run_levelled_waveshaper, run_waveshaper

States = NDArray[np.float64]


def drive_parameters(group: str = "Cut") -> tuple[Parameter, ...]:
    """How hard a filter is driven, and where; see `Drive`."""
    return (
        Parameter(
            "drive",
            "Drive",
            "How hard the wave is bent, whether filtered or not; the loudness stays.",
            unit="dB",
            high=36.0,
            default=0.0,
            scale=Scale.DECIBEL,
            moves=Moves.PER_NOTE,
            idle=0.0,
            off=0.0,
            group=group,
        ),
        Parameter(
            "driven",
            "Drive position",
            "Post-filter drive adds overtones, of pre-filter drive the filter takes them; it "
            "relates to the level there, or to a wave at -12 dB, which then keeps its level.",
            default="behind",
            kind=Kind.CHOICE,
            choices=(
                Choice("behind", "Post-filter"),
                Choice("ahead", "Pre-filter"),
                Choice("fixed", "Pre-filter, from -12 dB on"),
            ),
            group=group,
            when=("drive", ()),
        ),
    )


class Drive:
    """A waveshaper for all streams of a filter.

    Parameters
    ----------
    drive
        How hard, in decibels.
    driven
        One of the choices of ``driven``, see `drive_parameters`.
    rate
        Samples per second.
    """

    def __init__(self, drive: Trajectory, driven: str, rate: int) -> None:
        self._drive = drive
        self._rate = rate
        self._levelled = driven != "fixed"
        self.behind = driven == "behind"

    @property
    def settled(self) -> float:
        """Seconds after which the level that it relates to is known."""
        return SETTLED if self._levelled else 0.0

    @staticmethod
    def fresh(streams: int) -> tuple[States, States]:
        """States before the first samples: of the curve and of the levels ``[streams, 2, ...]``."""
        followed = np.zeros((streams, 2, FOLLOWERS * FOLLOWER_STATE))
        return np.zeros((streams, 2, SHAPER_STATE)), followed

    def process(self, block: Block, signal: Signal, shaped: States, followed: States) -> None:
        """Bend `signal` ``[streams, 2, samples]`` in place; both states go on, see `fresh`."""
        factor = np.maximum(gain(self._drive.values(block.moments)), 1.0)
        if self._levelled:
            levels = follow_level(signal, self._rate, followed)
            run_levelled_waveshaper(signal, factor, known_or_usual(levels), shaped)
            # What peaks more than a sine loses more: the rest is measured.
            made = follow_level(signal, self._rate, followed, which=1)
            scale_voices(signal, matching_gain(levels, made))
        else:
            run_waveshaper(signal, factor, shaped)
