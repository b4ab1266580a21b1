"""Reading between samples by windowed sincs: even up to 0.4 of the sample rate.

Source: J. O. Smith, "Digital audio resampling" (CCRMA): the weights of a fraction lie between those
of two that are kept.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, load_from, store, totals

TAPS = 24
PHASES = 256
"""Fractions of a sample whose weights are kept."""
AHEAD = TAPS // 2
"""Samples after its place that a reading needs."""
SHARPNESS = 7.0
"""The window's beta (Kaiser): images lie 70 dB down."""


def sinc_table(taps: int = TAPS, sharpness: float = SHARPNESS) -> NDArray[np.float32]:
    """The weights of the samples around a place, by where it lies ``[PHASES + 1, taps]``.

    Row k is for a place ``k / PHASES`` of a sample before the sample of weight ``taps / 2``;
    `sharpness` is the beta of Kaiser's window.
    """
    ahead = taps // 2
    away = np.arange(taps) - ahead + np.arange(PHASES + 1)[:, None] / PHASES
    window = np.i0(sharpness * np.sqrt(np.maximum(1.0 - (away / ahead) ** 2, 0.0)))
    weights = np.sinc(away) * window
    found: NDArray[np.float32] = (weights / weights.sum(axis=1, keepdims=True)).astype(np.float32)
    return found


@device
def _weigh(table: np.ndarray, before: float, weights: np.ndarray) -> None:
    """The weights ``[TAPS]`` of a place, a fraction of a sample before one."""
    place = before * PHASES
    row = int(place)
    f = np.float32(place - row)
    first, then = table[row], table[row + 1]
    for k in range(TAPS):
        weights[k] = first[k] + f * (then[k] - first[k])


@device(fastmath=CONTRACT, allocates=True)
def read_standing(
    line: np.ndarray, at: int, away: float, table: np.ndarray, out: np.ndarray
) -> None:
    """Read a ring over a tick into `out` ``[TICK]``, always so many samples ago."""
    weights = np.empty(TAPS, np.float32)
    whole = int(away)
    _weigh(table, away - whole, weights)
    mask = len(line) - 1
    start = (at - whole - AHEAD) & mask
    out[:] = np.float32(0.0)
    for k in range(TAPS):
        weight = weights[k]
        if start + k + TICK <= len(line):
            there = line[start + k : start + k + TICK]
            for n in range(TICK):
                out[n] += weight * there[n]
        else:
            for n in range(TICK):
                out[n] += weight * line[(start + k + n) & mask]


@device(fastmath=CONTRACT)
def _products(
    stretch: np.ndarray, table: np.ndarray, n: int, away: float, step: float, begin: int
) -> Any:
    """Sample `n` of a reading, as a vector of which it is the sum.

    `stretch` ``[samples]`` begins `begin` samples after the reading's first would be read with no
    delay; `table` ``[(PHASES + 1) * TAPS]``.
    """
    now = away + n * step
    whole = int(now)
    place = (now - whole) * PHASES
    row = int(place)
    f = np.float32(place - row)
    i, j = n - whole - AHEAD - begin, row * TAPS
    total = load_from(table, j) * np.float32(0.0)
    for k in range(0, TAPS, WIDTH):
        first = load_from(table, j + k)
        weights = first + f * (load_from(table, j + TAPS + k) - first)
        total = total + weights * load_from(stretch, i + k)
    return total


@device(fastmath=CONTRACT, allocates=True)
def read_sinc(
    line: np.ndarray, at: int, away: float, step: float, table: np.ndarray, out: np.ndarray
) -> None:
    """Read a ring over a tick into `out` ``[TICK]`` at a delay that grows by `step` a sample."""
    if step == 0.0:
        read_standing(line, at, away, table, out)
        return
    mask = len(line) - 1
    last = TICK - 1 - (away + (TICK - 1) * step)
    begin = math.floor(min(-away, last)) - AHEAD - 1
    end = math.floor(max(-away, last)) + AHEAD + 2
    stretch, flat = np.empty(end - begin, np.float32), table.ravel()
    for i in range(end - begin):
        stretch[i] = line[(at + begin + i) & mask]
    rows = out.reshape(TICK // WIDTH, WIDTH)
    for row in range(TICK // WIDTH):
        n = row * WIDTH
        store(
            rows,
            row,
            totals(
                _products(stretch, flat, n, away, step, begin),
                _products(stretch, flat, n + 1, away, step, begin),
                _products(stretch, flat, n + 2, away, step, begin),
                _products(stretch, flat, n + 3, away, step, begin),
                _products(stretch, flat, n + 4, away, step, begin),
                _products(stretch, flat, n + 5, away, step, begin),
                _products(stretch, flat, n + 6, away, step, begin),
                _products(stretch, flat, n + 7, away, step, begin),
            ),
        )
