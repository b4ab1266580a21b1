"""Twice the sample rate and back for packed voices, by half-bands of two all-pass chains.

They ring a little and turn phases where the usual ones wait, so that nothing that goes beside
them has to wait. Source: R. Valenzuela and A. Constantinides, "Digital signal
processing schemes for efficient interpolation and decimation" (IEE Proceedings G, 1983); the
elliptic design by theta functions from memory.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device
from caligo.signal.vector import load, store

TERMS = 8
"""Terms of the theta functions: the next is smaller than a double can hold."""


def design(count: int, passes: float) -> NDArray[np.float64]:
    """The all-passes' coefficients ``[count]`` of a half-band filter, even up to `passes`.

    That is a fraction of the higher sample rate, below a quarter. Every second coefficient is of
    the second chain.
    """
    k = math.tan(math.pi * passes) ** 2
    root = math.sqrt(math.sqrt(1.0 - k * k))
    e = 0.5 * (1.0 - root) / (1.0 + root)
    nome = e + 2.0 * e**5 + 15.0 * e**9 + 150.0 * e**13
    order, signs = 2 * count + 1, (-1.0) ** np.arange(TERMS)
    found = np.empty(count)
    for c in range(count):
        turn, i = math.pi * (c + 1) / order, np.arange(TERMS)
        above = (signs * nome ** (i * (i + 1.0)) * np.sin((2 * i + 1) * turn)).sum()
        below = 0.5 + (signs[1:] * nome ** (i[1:] ** 2.0) * np.cos(2 * i[1:] * turn)).sum()
        w = (nome**0.25 * above / below) ** 2
        r = math.sqrt((1.0 - w * k) * (1.0 - w / k)) / (1.0 + w)
        found[c] = (1.0 - r) / (1.0 + r)
    return found


NEAR = design(8, 0.226)
"""Between the sample rate and twice of it: even to 0.452 of the rate, 105 dB down from 0.548 on."""
FAR = design(4, 0.13)
"""Between twice and four times: it only has to stop what lies far away."""
NEAR_HELD, FAR_HELD = 10, 6
"""Numbers of a channel that they remember: what came into each all-pass last, and what came out."""
HELD = 2 * (NEAR_HELD + FAR_HELD)
"""What the ways up to four times the rate and down again remember."""


@device(fastmath=CONTRACT)
def _four(
    x: Any, a: float, b: float, c: float, d: float, s0: Any, s1: Any, s2: Any, s3: Any, s4: Any
) -> tuple[Any, Any, Any, Any, Any, Any]:
    """A vector through four all-passes: what comes out, and what each remembers after it."""
    y = s0 + a * (x - s1)
    z = s1 + b * (y - s2)
    w = s2 + c * (z - s3)
    out = s3 + d * (w - s4)
    return out, x, y, z, w, out


@device(fastmath=CONTRACT)
def _two(x: Any, a: float, b: float, s0: Any, s1: Any, s2: Any) -> tuple[Any, Any, Any, Any]:
    """A vector through two all-passes."""
    y = s0 + a * (x - s1)
    out = s1 + b * (y - s2)
    return out, x, y, out


@device
def _five(held: np.ndarray, row: int) -> tuple[Any, Any, Any, Any, Any]:
    """Five vectors from a row on."""
    return (
        load(held, row),
        load(held, row + 1),
        load(held, row + 2),
        load(held, row + 3),
        load(held, row + 4),
    )


@device
def _keep(held: np.ndarray, row: int, a: Any, b: Any, c: Any, d: Any, e: Any) -> None:
    """The inverse of `_five`."""
    store(held, row, a)
    store(held, row + 1, b)
    store(held, row + 2, c)
    store(held, row + 3, d)
    store(held, row + 4, e)


@device(fastmath=CONTRACT)
def _double_near(x: np.ndarray, t: np.ndarray, held: np.ndarray, out: np.ndarray) -> None:
    """`x` ``[samples, WIDTH]`` at twice its rate, into `out` ``[2 * samples, WIDTH]``."""
    p0, p1, p2, p3, p4 = _five(held, 0)
    q0, q1, q2, q3, q4 = _five(held, 5)
    for n in range(x.shape[0]):
        given = load(x, n)
        early, p0, p1, p2, p3, p4 = _four(given, t[0], t[2], t[4], t[6], p0, p1, p2, p3, p4)
        later, q0, q1, q2, q3, q4 = _four(given, t[1], t[3], t[5], t[7], q0, q1, q2, q3, q4)
        store(out, 2 * n, early)
        store(out, 2 * n + 1, later)
    _keep(held, 0, p0, p1, p2, p3, p4)
    _keep(held, 5, q0, q1, q2, q3, q4)


@device(fastmath=CONTRACT)
def _halve_near(x: np.ndarray, t: np.ndarray, held: np.ndarray, out: np.ndarray) -> None:
    """`x` ``[2 * samples, WIDTH]`` at half its rate, into `out` ``[samples, WIDTH]``."""
    p0, p1, p2, p3, p4 = _five(held, 0)
    q0, q1, q2, q3, q4 = _five(held, 5)
    for n in range(out.shape[0]):
        first, second = load(x, 2 * n), load(x, 2 * n + 1)
        later, q0, q1, q2, q3, q4 = _four(first, t[1], t[3], t[5], t[7], q0, q1, q2, q3, q4)
        early, p0, p1, p2, p3, p4 = _four(second, t[0], t[2], t[4], t[6], p0, p1, p2, p3, p4)
        store(out, n, 0.5 * (early + later))
    _keep(held, 0, p0, p1, p2, p3, p4)
    _keep(held, 5, q0, q1, q2, q3, q4)


@device(fastmath=CONTRACT)
def _double_far(x: np.ndarray, t: np.ndarray, held: np.ndarray, out: np.ndarray) -> None:
    """`_double_near` with the shorter filter."""
    p0, p1, p2 = load(held, 0), load(held, 1), load(held, 2)
    q0, q1, q2 = load(held, 3), load(held, 4), load(held, 5)
    for n in range(x.shape[0]):
        given = load(x, n)
        early, p0, p1, p2 = _two(given, t[0], t[2], p0, p1, p2)
        later, q0, q1, q2 = _two(given, t[1], t[3], q0, q1, q2)
        store(out, 2 * n, early)
        store(out, 2 * n + 1, later)
    store(held, 0, p0)
    store(held, 1, p1)
    store(held, 2, p2)
    store(held, 3, q0)
    store(held, 4, q1)
    store(held, 5, q2)


@device(fastmath=CONTRACT)
def _halve_far(x: np.ndarray, t: np.ndarray, held: np.ndarray, out: np.ndarray) -> None:
    """`_halve_near` with the shorter filter."""
    p0, p1, p2 = load(held, 0), load(held, 1), load(held, 2)
    q0, q1, q2 = load(held, 3), load(held, 4), load(held, 5)
    for n in range(out.shape[0]):
        later, q0, q1, q2 = _two(load(x, 2 * n), t[1], t[3], q0, q1, q2)
        early, p0, p1, p2 = _two(load(x, 2 * n + 1), t[0], t[2], p0, p1, p2)
        store(out, n, 0.5 * (early + later))
    store(held, 0, p0)
    store(held, 1, p1)
    store(held, 2, p2)
    store(held, 3, q0)
    store(held, 4, q1)
    store(held, 5, q2)


@device(fastmath=CONTRACT)
def up(
    x: np.ndarray,
    near: np.ndarray,
    far: np.ndarray,
    held: np.ndarray,
    half: np.ndarray,
    out: np.ndarray,
) -> None:
    """A tick ``[TICK, WIDTH]`` at four times the rate, into `out` ``[4 * TICK, WIDTH]``.

    `half` ``[2 * TICK, WIDTH]`` is scratch memory for what lies between. `held` ``[HELD, WIDTH]``
    is shared with the inverse.
    """
    _double_near(x, near, held[:NEAR_HELD], half)
    _double_far(half, far, held[NEAR_HELD : NEAR_HELD + FAR_HELD], out)


@device(fastmath=CONTRACT)
def down(
    x: np.ndarray,
    near: np.ndarray,
    far: np.ndarray,
    held: np.ndarray,
    half: np.ndarray,
    out: np.ndarray,
) -> None:
    """The inverse of `up`, from ``[4 * TICK, WIDTH]`` to ``[TICK, WIDTH]``."""
    _halve_far(x, far, held[NEAR_HELD + FAR_HELD : NEAR_HELD + 2 * FAR_HELD], half)
    _halve_near(half, near, held[NEAR_HELD + 2 * FAR_HELD :], out)
