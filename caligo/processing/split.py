"""What effects that work in bands share: crossovers whose parts add up again."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Parameter
from caligo.movement.moments import Moments
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.bands import part
from caligo.signal.state_variable import cutoff_gain

LOWEST_SPLIT, HIGHEST_SPLIT = 60.0, 18_000.0
THREE = ("bands", ("three",))
"""What a parameter or chain of the middle band is for."""
SETTLED = 0.1
"""Seconds in which the crossovers have faded."""


def split_parameters() -> tuple[Parameter, ...]:
    """How many bands there are, and where they meet."""
    return (
        Parameter("bands", "Bands", "Lows and highs, or a middle between them.", default="three",
                  kind=Kind.CHOICE, group="Bands",
                  choices=(Choice("two", "Two"), Choice("three", "Three"))),
        replace(
            shared.hertz("split", "Bands meet at", "Where lows end and highs begin.", 800.0,
                         low=LOWEST_SPLIT, high=HIGHEST_SPLIT, group="Bands"),
            when=("bands", ("two",)),
        ),
        replace(
            shared.hertz("low_split", "Lows up to", "Where lows end and the middle begins.", 220.0,
                         low=LOWEST_SPLIT, high=1_000.0, group="Bands"),
            when=THREE,
        ),
        replace(
            shared.hertz("high_split", "Highs from", "Where the middle ends and highs begin.",
                         2_800.0, low=1_000.0, high=HIGHEST_SPLIT, group="Bands"),
            when=THREE,
        ),
    )  # fmt: skip


def split_state() -> State:
    """What the crossovers remember, at rest."""
    return {"low_split": np.zeros((2, 3, 2)), "high_split": np.zeros((2, 3, 2)),
            "aligned": np.zeros((2, 3, 2))}  # fmt: skip


def bands(effect: Effect, moments: Moments, signal: Signal) -> list[Signal]:
    """Lows, middle and highs of `signal` ``[2, samples]``; their sum is as loud at every frequency.

    Of two bands the middle is silent.
    """
    rate, state = effect.rate, effect.state
    if effect.part.text("bands") == "two":
        low, high = np.empty_like(signal), np.empty_like(signal)
        split = effect.trajectory("split").values(moments)[0]
        part(signal, cutoff_gain(split, rate), low, high, state["low_split"])
        return [low, np.zeros_like(signal), high]
    low_split, high_split = (
        effect.trajectory(key).values(moments)[0] for key in ("low_split", "high_split")
    )
    return _three(signal, low_split, high_split, rate, state)


def _three(
    signal: Signal,
    low_split: NDArray[np.float64],
    high_split: NDArray[np.float64],
    rate: int,
    state: State,
) -> list[Signal]:
    """`low_split` and `high_split` are Hz at every tick ``[ticks + 1]``."""
    low, rest, middle, high = (np.empty_like(signal) for _ in range(4))
    upper = cutoff_gain(high_split, rate)
    part(signal, cutoff_gain(low_split, rate), low, rest, state["low_split"])
    part(rest, upper, middle, high, state["high_split"])
    # The lows turn their phase at the upper crossover as well, so that all three stay together.
    one, two = np.empty_like(signal), np.empty_like(signal)
    part(low, upper, one, two, state["aligned"])
    return [one + two, middle, high]
