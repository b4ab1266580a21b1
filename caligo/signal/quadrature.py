"""Two chains of all-passes whose outputs lie a quarter of a cycle apart at every frequency.

Source: P. Regalia, S. Mitra, P. Vaidyanathan, "The digital all-pass filter: a versatile signal
processing building block" (1988), and the elliptic half-band design by nomes of R. Valenzuela and
A. Constantinides, "Digital signal processing schemes for efficient interpolation and decimation"
(1983); equations from memory. The half-band filter turned by a quarter of the rate is the pair.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.signal.state_variable import DEAD

STAGES = 18
"""All-passes of both chains together."""
TRANSITION = 0.0004
"""Share of the rate at either end where the phases are not a quarter apart: 19 Hz at 48 kHz."""


def coefficients() -> NDArray[np.float64]:
    """The all-passes' coefficients ``[STAGES]``, those of the two chains in turn."""
    k = math.tan((1.0 - 2.0 * TRANSITION) * math.pi / 4.0) ** 2
    root = (1.0 - k * k) ** 0.25
    e = 0.5 * (1.0 - root) / (1.0 + root)
    nome = e + 2.0 * e**5 + 15.0 * e**9 + 150.0 * e**13
    order = 2 * STAGES + 1
    found = []
    for c in range(1, STAGES + 1):
        top = sum(
            (-1) ** i * nome ** (i * (i + 1)) * math.sin((2 * i + 1) * c * math.pi / order)
            for i in range(12)
        )
        bottom = 0.5 + sum(
            (-1) ** i * nome ** (i * i) * math.cos(2 * i * c * math.pi / order)
            for i in range(1, 12)
        )
        w = (top * nome**0.25 / bottom) ** 2
        x = math.sqrt((1.0 - w * k) * (1.0 - w / k)) / (1.0 + w)
        found.append((1.0 - x) / (1.0 + x))
    return np.array(found)


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
        Two inputs and outputs back of each all-pass, and the input before
        ``[STAGES + 1, 2, 2]``; carried on.
    """
    stages = len(coefficients)
    for n in range(len(signal)):
        x = float(signal[n])
        one, two = x, state[stages, 0, 0]
        state[stages, 0, 0] = x
        for i in range(0, stages, 2):
            y = coefficients[i] * (one + state[i, 1, 1]) - state[i, 0, 1]
            state[i, 0, 1], state[i, 0, 0] = state[i, 0, 0], one
            state[i, 1, 1], state[i, 1, 0] = state[i, 1, 0], y
            one = y
            j = i + 1
            y = coefficients[j] * (two + state[j, 1, 1]) - state[j, 0, 1]
            state[j, 0, 1], state[j, 0, 0] = state[j, 0, 0], two
            state[j, 1, 1], state[j, 1, 0] = state[j, 1, 0], y
            two = y
        real[n], turned[n] = one, two
    for i in range(stages + 1):
        for j in range(2):
            for k in range(2):
                if abs(state[i, j, k]) < DEAD:
                    state[i, j, k] = 0.0
