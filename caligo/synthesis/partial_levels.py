"""Levels and places of partials over several moments, and the gains of their sines."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import kernel
from caligo.signal.arrays import are_equal, copy
from caligo.synthesis import partials


@kernel(
    "f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[:, ::1], i8, b1, i8, u8, f4[:, ::1], "
    "f4[:, ::1]",
    allocates=True,
)
def shape_all(
    values: np.ndarray,
    numbers: np.ndarray,
    ranks: np.ndarray,
    base: np.ndarray,
    ratio: np.ndarray,
    place: int,
    endless: bool,
    rate: int,
    voice_seed: np.uint64,
    level: np.ndarray,
    pan: np.ndarray,
) -> None:
    """`partials.shape` at several moments; what did not change is not computed again.

    The first axis of `values`, `base`, `ratio`, `level` and `pan` is ``[moments]``, that of
    `numbers` too, or it has a single row.
    """
    for m in range(values.shape[0]):
        row = m if numbers.shape[0] > 1 else 0
        stays = numbers.shape[0] == 1 or are_equal(numbers[row], numbers[max(0, row - 1)])
        if m > 0 and stays and are_equal(values[m], values[m - 1]):
            copy(level[m - 1], level[m])
            copy(pan[m - 1], pan[m])
            continue
        partials.shape(
            values[m],
            numbers[row],
            ranks,
            base[m],
            ratio[m],
            place,
            endless,
            rate,
            voice_seed,
            level[m],
            pan[m],
        )


@kernel("f4[:, ::1], f4[:, ::1], f8[::1], f4[:, ::1], f4[:, ::1]")
def to_gains(
    level: np.ndarray, pan: np.ndarray, loud: np.ndarray, left: np.ndarray, right: np.ndarray
) -> None:
    """Gains of left and right ``[moments, partials]`` from levels, places and a loudness."""
    for m in range(level.shape[0]):
        for p in range(level.shape[1]):
            if level[m, p] == 0.0:
                left[m, p] = 0.0
                right[m, p] = 0.0
                continue
            angle = (1.0 + pan[m, p]) * (math.pi / 4.0)
            size = loud[m] * level[m, p] * math.sqrt(2.0)
            left[m, p] = size * math.cos(angle)
            right[m, p] = size * math.sin(angle)


@kernel("f8[:, ::1], f4[:, ::1]")
def part_at_wraps(ratio: np.ndarray, level: np.ndarray) -> None:
    """Where an endless glide wraps a partial, silence it on both sides of the jump.

    Both are ``[moments, partials]``: ratios to the fundamental, and levels.
    """
    for m in range(ratio.shape[0] - 1):
        for p in range(ratio.shape[1]):
            jump = ratio[m + 1, p] / ratio[m, p]
            if jump > 8.0 or jump < 0.125:
                level[m, p] = 0.0
                level[m + 1, p] = 0.0
