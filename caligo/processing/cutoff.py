"""What filters with a cutoff share: cutoff, key follow, sides that part, and mix."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Moves, Parameter, Scale
from caligo.document.pitch import MIDDLE_C_OCTAVES
from caligo.movement.block import Block
from caligo.movement.trajectory import Trajectory

Floats = NDArray[np.float64]

LOWEST = 10.0
"""Hz below which key follow takes no corner."""
FADED = 90.0
"""Decibels by which a filter's ringing has fallen when it counts as faded."""
WIDEST_SPREAD = 4.0
"""Octaves by which the cutoffs of left and right part at most."""


def cutoff_parameter(cutoff: float, help: str, group: str = "Cut") -> Parameter:
    """The frequency of a filter, which goes along with the key."""
    return Parameter(
        "cutoff",
        "Cutoff",
        help,
        unit="Hz",
        low=20.0,
        high=20_000.0,
        default=cutoff,
        scale=Scale.LOGARITHMIC,
        moves=Moves.PER_NOTE,
        group=group,
        follows_key="key_follow",
    )


def key_follow_parameter(default: float = 0.0, group: str = "Cut") -> Parameter:
    """How far the frequency goes along with the key, or against it."""
    return Parameter(
        "key_follow",
        "Key follow",
        "How far the cutoff goes along with the key; against it below zero.",
        unit="%",
        low=-100.0,
        high=200.0,
        default=default,
        moves=Moves.PER_NOTE,
        group=group,
    )


def spread_parameter(group: str = "Cut") -> Parameter:
    """How far the cutoffs of left and right lie apart."""
    return Parameter(
        "spread",
        "Spread",
        "How far the right side's cutoff lies above the left one's; a little widens.",
        unit="oct",
        low=-WIDEST_SPREAD,
        high=WIDEST_SPREAD,
        default=0.0,
        moves=Moves.PER_NOTE,
        group=group,
    )


def mix_parameter(default: float = 100.0, group: str = "Cut") -> Parameter:
    """How much of the filtered signal is heard."""
    return Parameter(
        "mix",
        "Mix",
        "Filtered against unfiltered signal.",
        unit="%",
        high=100.0,
        default=default,
        moves=Moves.PER_NOTE,
        group=group,
    )


def width_parameter(default: float, widest: float, group: str = "Cut") -> Parameter:
    """How many octaves a filter takes, between its points 3 dB down."""
    return Parameter(
        "width",
        "Width",
        "Octaves between the points where it has half its effect.",
        unit="oct",
        low=0.01,
        high=widest,
        default=default,
        scale=Scale.LOGARITHMIC,
        moves=Moves.PER_NOTE,
        group=group,
    )


def quality(width: Floats) -> Floats:
    """Q of a width in octaves ``[...]`` (Audio EQ Cookbook, bandwidth of the analogue filter).

    Examples
    --------
    >>> bool(abs(quality(np.array([1.0]))[0] - 2**0.5) < 1e-9)
    True
    """
    found: Floats = 0.5 / np.sinh(0.5 * math.log(2.0) * width)
    return found


def narrowing(stages: int) -> float:
    """The Q of each of some equal resonances over that of all together.

    n of them are 3 dB down at ``sqrt(2^(1/n) - 1)`` of the half width of one (synchronous tuning;
    textbook).
    """
    return math.sqrt(2.0 ** (1.0 / stages) - 1.0)


def highest_quality(width: Trajectory) -> float:
    """The highest Q that a width in octaves may come to."""
    return float(quality(np.array([width.reach()[0]]))[0])


def followed(cutoff: Floats, key_follow: Floats, block: Block) -> Floats:
    """Cutoffs in Hz with their key follow in per cent ``[voices, ticks + 1]``; 100 % over C4."""
    along = np.exp2((block.pitch - MIDDLE_C_OCTAVES) * key_follow / 100.0)
    found: Floats = np.maximum(cutoff * along, LOWEST)
    return found


def spread_cutoffs(hertz: Floats, spread: Floats) -> Floats:
    """Corners of left and right that lie `spread` octaves apart ``[voices, 2, ticks + 1]``."""
    half = np.exp2(0.5 * spread)
    return np.stack([hertz / half, hertz * half], axis=1)


def lowest_cutoff(cutoff: Trajectory, key_follow: Trajectory, spread: Trajectory | None) -> float:
    """The lowest cutoff in Hz that a filter may come to, on any key."""
    lowest = cutoff.reach()[0]
    follow = max(abs(bound) for bound in key_follow.reach()) / 100.0
    if spread is not None:
        lowest *= 2.0 ** (-0.5 * max(abs(bound) for bound in spread.reach()))
    if follow:
        lowest = max(LOWEST, lowest * 2.0 ** (-4.0 * follow))
    return lowest


def ringing(quality: float, hertz: float) -> float:
    """Seconds in which a resonance has fallen by `FADED` dB; it rings as exp(-pi f t / Q)."""
    return FADED / 20.0 * math.log(10.0) * quality / (math.pi * hertz)
