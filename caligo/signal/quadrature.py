"""Two chains of all-passes whose outputs lie a quarter of a cycle apart at every frequency.

Source: D. K. Weaver, "Design of RC wide-band 90-degree phase-difference network" (Proceedings of
the IRE, 1954); equations from memory. The network is one of hertz, brought to a sample rate by the
bilinear transform, so that what it turns a partial by is the same at every rate.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.signal.state_variable import DEAD

STAGES = 24
"""All-passes of both chains together."""
LOWEST, HIGHEST = 15.0, 200_000.0
"""Hertz between which the chains lie a quarter apart, within 0.005 degrees. The bilinear transform
brings 20 kHz at a rate of 44.1 kHz to 95 kHz."""


def corners() -> NDArray[np.float64]:
    """The all-passes' corners in hertz ``[STAGES]``, those of the two chains in turn."""
    k = LOWEST / HIGHEST
    root = (1.0 - k * k) ** 0.25
    e = 0.5 * (1.0 - root) / (1.0 + root)
    nome = math.exp(math.pi**2 / math.log(e + 2.0 * e**5 + 15.0 * e**9))
    angle = math.pi / (4.0 * STAGES) * (4.0 * np.arange(STAGES) + 1.0)
    bent = np.arctan2(
        (nome**2 - nome**6) * np.sin(4.0 * angle), 1.0 + (nome**2 + nome**6) * np.cos(4.0 * angle)
    )
    found = math.sqrt(LOWEST * HIGHEST) * np.tan(angle - bent)
    # Those of one chain come out below zero, of the other above.
    return np.stack([np.sort(-found[found < 0.0]), np.sort(found[found > 0.0])], axis=1).ravel()


def coefficients(rate: float) -> NDArray[np.float64]:
    """The all-passes' coefficients at a rate ``[STAGES]``, those of the two chains in turn."""
    corner = math.pi * corners() / rate
    found: NDArray[np.float64] = (1.0 - corner) / (1.0 + corner)
    return found


@njit(cache=True, nogil=True)
def split(
    signal: np.ndarray,
    coefficients: np.ndarray,
    real: np.ndarray,
    turned: np.ndarray,
    state: np.ndarray,
) -> None:
    """One side's two components, a quarter of a cycle apart, into `real` and `turned`.

    Parameters
    ----------
    signal, real, turned
        ``[samples]``.
    state
        What each all-pass remembers ``[STAGES]``; carried on.
    """
    for n in range(len(signal)):
        one = two = float(signal[n])
        for i in range(0, len(coefficients), 2):
            a, b = coefficients[i], coefficients[i + 1]
            passed = state[i] - a * one
            state[i] = one + a * passed
            one = passed
            passed = state[i + 1] - b * two
            state[i + 1] = two + b * passed
            two = passed
        real[n], turned[n] = one, two
    for i in range(len(state)):
        if abs(state[i]) < DEAD:
            state[i] = 0.0
