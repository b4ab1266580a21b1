"""Two chains of all-passes whose outputs lie a quarter of a cycle apart at every frequency.

Source: D. K. Weaver, "Design of RC wide-band 90-degree phase-difference network" (Proceedings of
the IRE, 1954); equations from memory. The network is one of hertz, brought to a sample rate by the
bilinear transform, so that what it turns a partial by is the same at every rate.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, kernel
from caligo.signal.silence import DEAD

STAGES = 24
"""All-passes of both chains together."""
LOWEST, HIGHEST = 15.0, 200_000.0
"""Hertz between which the chains lie a quarter apart, within 0.005 degrees. The bilinear transform
brings 20 kHz at a rate of 44.1 kHz to 95 kHz."""


def cutoffs() -> NDArray[np.float64]:
    """The all-passes' cutoffs in hertz ``[STAGES]``, those of the two chains in turn."""
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
    cutoff = math.pi * cutoffs() / rate
    found: NDArray[np.float64] = (1.0 - cutoff) / (1.0 + cutoff)
    return found


@kernel("f4[:, ::1], f8[::1], f8[:, ::1], f8[:, ::1], f8[:, ::1]", fastmath=CONTRACT)
def split(
    signal: np.ndarray,
    coefficients: np.ndarray,
    real: np.ndarray,
    turned: np.ndarray,
    state: np.ndarray,
) -> None:
    """Two components of each channel, a quarter of a cycle apart, into `real` and `turned`.

    Both sides go in one loop, so that the processor overlaps all four chains.

    Parameters
    ----------
    signal, real, turned
        ``[2, samples]``.
    state
        What each all-pass remembers ``[2, STAGES]``; carried on.
    """
    pairs = np.uint64(len(coefficients) // 2)
    one, two = np.uint64(1), np.uint64(2)
    for n in range(signal.shape[1]):
        left = across = float(signal[0, n])
        right = over = float(signal[1, n])
        for pair in range(pairs):
            i = two * pair
            j = i + one
            a, b = coefficients[i], coefficients[j]
            passed, beyond = state[0, i] - a * left, state[1, i] - a * right
            state[0, i], state[1, i] = left + a * passed, right + a * beyond
            left, right = passed, beyond
            passed, beyond = state[0, j] - b * across, state[1, j] - b * over
            state[0, j], state[1, j] = across + b * passed, over + b * beyond
            across, over = passed, beyond
        real[0, n], turned[0, n] = left, across
        real[1, n], turned[1, n] = right, over
    for c in range(2):
        for stage in range(state.shape[1]):
            if abs(state[c, stage]) < DEAD:
                state[c, stage] = 0.0
