"""A short burst of sparse taps in place of one: a click becomes many, and keeps its energy.

Source: M. Karjalainen and H. Jarvelainen, "Reverberation modeling using velvet noise" (AES 30th
International Conference, 2007): one tap of either sign at a random place in each cell of an even
grid sounds as smooth as noise with a fraction of its taps.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device
from caligo.signal.silence import DEAD
from caligo.signal.ticks import TICK

TOGETHER = 4
"""Taps that are added at once; their number is a multiple of it."""


def velvet(count: int, seed: int) -> tuple[NDArray[np.float64], NDArray[np.float32]]:
    """Places as fractions of the burst and gains, both ``[taps]``; the first tap does not wait."""
    drawn = np.random.default_rng(seed).random(2 * count)
    places = (np.arange(count) + drawn[:count]) / count
    places[0] = 0.0
    signs = np.where(drawn[count:] < 0.5, -1.0, 1.0)
    return places, (signs / math.sqrt(count)).astype(np.float32)


@device(fastmath=CONTRACT)
def _add(line: np.ndarray, back: int, gain: np.float32, out: np.ndarray) -> None:
    """Add a tick of a ring from the index `back` on."""
    size = len(line)
    start = np.uint64(back & (size - 1))
    if start + np.uint64(TICK) <= np.uint64(size):
        for n in range(np.uint64(TICK)):
            out[n] += gain * line[start + n]
    else:
        for n in range(TICK):
            out[n] += gain * line[(back + n) & (size - 1)]


@device(fastmath=CONTRACT)
def _add_four(
    line: np.ndarray,
    first: int,
    second: int,
    third: int,
    fourth: int,
    gains: np.ndarray,
    out: np.ndarray,
) -> None:
    """Add a tick of a ring from four indices on, none of which reaches over the ring's end.

    To add to `out` takes as long as to read the line, so that is done once for the four.
    """
    a, b, c, d = np.uint64(first), np.uint64(second), np.uint64(third), np.uint64(fourth)
    g, h, p, q = gains[0], gains[1], gains[2], gains[3]
    for n in range(np.uint64(TICK)):
        out[n] += g * line[a + n] + h * line[b + n] + p * line[c + n] + q * line[d + n]


@device
def _cross(line: np.ndarray, back: int, to_back: int, gain: np.float32, out: np.ndarray) -> None:
    """Add a tick of a ring that goes over from one index to another."""
    mask = len(line) - 1
    for n in range(TICK):
        before, after = line[(back + n) & mask], line[(to_back + n) & mask]
        out[n] += gain * (before + np.float32(n / TICK) * (after - before))


@device
def scatter(
    line: np.ndarray,
    at: int,
    rate: float,
    wait: float,
    to_wait: float,
    span: float,
    to_span: float,
    places: np.ndarray,
    gains: np.ndarray,
    out: np.ndarray,
) -> None:
    """Read a ring ``[size]`` over a tick into `out` ``[TICK]`` with all taps ``[taps]``.

    `at` is the index of the tick's first sample; the burst begins `wait` seconds ago and goes
    back by `span` more. Where either changes, each tap goes over to its new place in a crossfade.
    """
    for n in range(TICK):
        out[n] = np.float32(0.0)
    size, still = len(line), wait == to_wait and span == to_span
    for i in range(0, len(places), TOGETHER):
        starts = (
            (at - int((wait + places[i] * span) * rate)) & (size - 1),
            (at - int((wait + places[i + 1] * span) * rate)) & (size - 1),
            (at - int((wait + places[i + 2] * span) * rate)) & (size - 1),
            (at - int((wait + places[i + 3] * span) * rate)) & (size - 1),
        )
        if still and max(starts) + TICK <= size:
            _add_four(line, *starts, gains[i : i + TOGETHER], out)
            continue
        for j in range(i, i + TOGETHER):
            back = at - int((wait + places[j] * span) * rate)
            to_back = at - int((to_wait + places[j] * to_span) * rate)
            if back == to_back:
                _add(line, back, gains[j], out)
            else:
                _cross(line, back, to_back, gains[j], out)


@device(fastmath=CONTRACT)
def feed(
    signal: np.ndarray,
    pre: np.ndarray,
    at: int,
    rate: float,
    wait: float,
    to_wait: float,
    span: float,
    to_span: float,
    places: np.ndarray,
    gains: np.ndarray,
    low_cut: float,
    thin: np.ndarray,
    fed: np.ndarray,
) -> None:
    """A tick through pre-delay, burst and low cut: from `signal` ``[2, TICK]`` to `fed`.

    `wait` and `span` are seconds, `places` and `gains` the taps of either channel ``[2, taps]``,
    and `thin` the low cut's state ``[2]``. Both sides go at once through
    the low cut: each sample waits for the one before, but not for the other channel.
    """
    here = np.uint64(at & (pre.shape[1] - 1))
    for c in range(2):
        for n in range(np.uint64(TICK)):
            pre[c, here + n] = signal[c, n]
        scatter(
            pre[c], at, rate, wait, to_wait, span, to_span,
            places[c], gains[c], fed[c],
        )  # fmt: skip
    left, right, stays = thin[0], thin[1], 1.0 - low_cut
    for n in range(TICK):
        x, y = fed[0, n], fed[1, n]
        left = stays * left + low_cut * x
        right = stays * right + low_cut * y
        fed[0, n], fed[1, n] = x - left, y - right
    thin[0] = left if abs(left) > DEAD else 0.0
    thin[1] = right if abs(right) > DEAD else 0.0
