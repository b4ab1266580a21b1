"""What effects that work in three bands share: two crossovers whose parts add up again."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Parameter
from caligo.processing import shared
from caligo.processing.processor import Signal, State
from caligo.signal.bands import part
from caligo.signal.state_variable import cutoff_gain

LOWEST_SPLIT = 60.0


def split_parameters() -> tuple[Parameter, ...]:
    """Where the bands meet."""
    return (
        shared.hertz("low_split", "Lows up to", "Where lows end and the middle begins.", 220.0,
                     low=LOWEST_SPLIT, high=1_000.0, group="Bands"),
        shared.hertz("high_split", "Highs from", "Where the middle ends and highs begin.",
                     2_800.0, low=1_000.0, high=12_000.0, group="Bands"),
    )  # fmt: skip


def split_state() -> State:
    """What the crossovers remember, at rest."""
    return {"low_split": np.zeros((2, 3, 2)), "high_split": np.zeros((2, 3, 2)),
            "aligned": np.zeros((2, 3, 2))}  # fmt: skip


def bands(
    signal: Signal,
    low_split: NDArray[np.float64],
    high_split: NDArray[np.float64],
    rate: int,
    state: State,
) -> list[Signal]:
    """Lows, middle and highs of `signal` ``[2, samples]``; their sum is as loud at every frequency.

    `low_split` and `high_split` are Hz at every tick ``[ticks + 1]``.
    """
    low, rest, middle, high = (np.empty_like(signal) for _ in range(4))
    upper = cutoff_gain(high_split, rate)
    part(signal, cutoff_gain(low_split, rate), low, rest, state["low_split"])
    part(rest, upper, middle, high, state["high_split"])
    # The lows turn their phase at the upper crossover as well, so that all three stay together.
    one, two = np.empty_like(signal), np.empty_like(signal)
    part(low, upper, one, two, state["aligned"])
    return [one + two, middle, high]


SETTLED = 0.1
"""Seconds in which the crossovers have faded."""
