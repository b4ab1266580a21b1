"""Four times the sample rate and back, kept as four rows: every fourth sample in one.

The filters are those of `caligo.signal.fourfold`. A sample's neighbours lie in the rows beside it
at the same place, so that every loop is over samples that follow each other in memory.
"""

from __future__ import annotations

import numpy as np

from caligo.kernels import CONTRACT, device, kernel
from caligo.signal.arrays import copy
from caligo.signal.fourfold import NEAR, PIECE
from caligo.signal.oversampling import FAR, add_taps

ROWS = 4
"""Rows of what is kept so, the earliest sample in the first."""
REACH = FAR // 2
"""Places that the filter between two and four times the rate looks back in either of its rows."""


@device(fastmath=CONTRACT)
def _add_far(
    evens: np.ndarray, odds: np.ndarray, taps: np.ndarray, scale: float, out: np.ndarray
) -> None:
    """Add the answer of every other place of a line to `out` ``[samples]``.

    `evens` and `odds` are the line's places in turn from the first that counts on
    ``[samples + REACH - 1]``, `taps` the filter's ``[FAR]``.
    """
    count = len(out)
    for k in range(0, FAR, 4):
        a, b = np.float32(scale * taps[k]), np.float32(scale * taps[k + 1])
        c, d = np.float32(scale * taps[k + 2]), np.float32(scale * taps[k + 3])
        here, beside = evens[k // 2 :], odds[k // 2 :]
        for n in range(count):
            first = (out[n] + a * here[n]) + b * beside[n]
            out[n] = (first + c * here[n + 1]) + d * beside[n + 1]


@device
def _lines(
    first: np.ndarray, second: np.ndarray, held: np.ndarray, evens: np.ndarray, odds: np.ndarray
) -> None:
    """Two rows in turn ``[samples]`` behind what is `held` ``[FAR - 1]``, as even and odd places.

    `evens` is ``[samples + REACH]``, `odds` ``[samples + REACH - 1]``; `held` is carried on.
    """
    count = len(first)
    for n in range(REACH):
        evens[n] = held[2 * n]
    for n in range(REACH - 1):
        odds[n] = held[2 * n + 1]
    copy(second, evens[REACH:])
    copy(first, odds[REACH - 1 :])
    for n in range(REACH):
        held[2 * n] = evens[count + n]
    for n in range(REACH - 1):
        held[2 * n + 1] = odds[count + n]


@kernel("f4[::1], f4[::1], f4[::1], f4[::1], f4[::1], f4[:, ::1]", allocates=True)
def up(
    x: np.ndarray,
    near_taps: np.ndarray,
    far_taps: np.ndarray,
    near: np.ndarray,
    far: np.ndarray,
    out: np.ndarray,
) -> None:
    """`x` ``[samples]`` at four times its rate, into `out` ``[ROWS, samples]``.

    `near` ``[NEAR - 1]`` and `far` ``[FAR - 1]`` are carried on.
    """
    line = np.empty(NEAR - 1 + PIECE, np.float32)
    twice = np.empty(PIECE, np.float32)
    evens, odds = np.empty(PIECE + REACH, np.float32), np.empty(PIECE + REACH - 1, np.float32)
    for begin in range(0, len(x), PIECE):
        size = min(PIECE, len(x) - begin)
        copy(near, line[: NEAR - 1])
        copy(x[begin:], line[NEAR - 1 : NEAR - 1 + size])
        copy(line[size:], near)
        between, middle = twice[:size], line[NEAR // 2 : NEAR // 2 + size]
        between[:] = np.float32(0.0)
        add_taps(line, near_taps, np.float32(2.0), between)
        _lines(between, middle, far, evens[: size + REACH], odds[: size + REACH - 1])
        end = begin + size
        out[0][begin:end] = np.float32(0.0)
        _add_far(evens, odds, far_taps, 2.0, out[0][begin:end])
        copy(evens[REACH // 2 :], out[1][begin:end])
        out[2][begin:end] = np.float32(0.0)
        _add_far(odds, evens[1:], far_taps, 2.0, out[2][begin:end])
        copy(odds[REACH // 2 :], out[3][begin:end])


@device
def _delay_by_one(row: np.ndarray, begin: int, waiting: np.ndarray, delayed: np.ndarray) -> None:
    """A row from `begin` on, one place late, into `delayed` ``[samples]``; `waiting` ``[1]``."""
    delayed[0] = waiting[0]
    copy(row[begin:], delayed[1:])
    waiting[0] = row[begin + len(delayed) - 1]


@device(allocates=True)
def _halved_far(
    rows: np.ndarray,
    begin: int,
    taps: np.ndarray,
    held: np.ndarray,
    waiting: np.ndarray,
    first: np.ndarray,
    second: np.ndarray,
) -> None:
    """`rows` ``[ROWS, ...]`` from `begin` on at half their rate, as two rows ``[samples]``.

    They are `EXTRA` samples late, so that two of the rows are those of the place before; `held`
    ``[2 * FAR - 2]`` and `waiting` ``[EXTRA]`` are carried on.
    """
    count = len(first)
    end = begin + count
    delayed = np.empty(count, np.float32)
    own, other = held[0::2].copy(), held[1::2].copy()
    evens, odds = np.empty(count + REACH, np.float32), np.empty(count + REACH - 1, np.float32)
    _delay_by_one(rows[3], begin, waiting[1:], delayed)
    _lines(delayed, rows[1][begin:end], other, evens, odds)
    before, after = odds[REACH // 2 - 1 :], evens[REACH // 2 :]
    for n in range(count):
        first[n] = np.float32(0.5) * before[n]
    for n in range(count):
        second[n] = np.float32(0.5) * after[n]
    _delay_by_one(rows[2], begin, waiting, delayed)
    _lines(delayed, rows[0][begin:end], own, evens, odds)
    _add_far(evens, odds, taps, 1.0, first)
    _add_far(odds, evens[1:], taps, 1.0, second)
    copy(own, held[0::2])
    copy(other, held[1::2])


@kernel("f4[:, ::1], f4[::1], f4[::1], f4[::1], f4[::1], f4[::1], f4[::1]", allocates=True)
def down(
    rows: np.ndarray,
    near_taps: np.ndarray,
    far_taps: np.ndarray,
    near: np.ndarray,
    far: np.ndarray,
    waiting: np.ndarray,
    out: np.ndarray,
) -> None:
    """The inverse of `up`: `rows` ``[ROWS, samples]`` at the sample rate, in `out` ``[samples]``.

    Both together are `caligo.signal.fourfold.LATENCY` samples late. `near` ``[2 * NEAR - 2]``,
    `far` and `waiting` are carried on.
    """
    reach = NEAR - 1
    evens, odds = np.empty(reach + PIECE, np.float32), np.empty(reach + PIECE, np.float32)
    evens[:reach], odds[:reach] = near[0::2], near[1::2]
    for begin in range(0, len(out), PIECE):
        size = min(PIECE, len(out) - begin)
        _halved_far(
            rows,
            begin,
            far_taps,
            far,
            waiting,
            evens[reach : reach + size],
            odds[reach : reach + size],
        )
        to, middle = out[begin : begin + size], odds[NEAR // 2 - 1 :]
        for n in range(size):
            to[n] = np.float32(0.5) * middle[n]
        add_taps(evens, near_taps, np.float32(1.0), to)
        evens[:reach], odds[:reach] = evens[size : size + reach], odds[size : size + reach]
    near[0::2], near[1::2] = evens[:reach], odds[:reach]
