"""Delay lines as rings of a power of two, read between their samples while their length moves."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import CONTRACT, device
from caligo.signal.interpolation import lagrange, lagrange_six
from caligo.signal.ticks import TICK

POINT_BITS = 20
POINT = 1 << POINT_BITS
ONE, TWO, THREE, FOUR, FIVE = (np.uint64(k) for k in range(1, 6))
WIDTH = 8
"""Samples that a vector instruction reads at most."""
FASTEST = 0.25
"""Samples that a line may change its length in a sample: by more, two readings are crossfaded."""


def ring_size(samples: float) -> int:
    """The size of a ring that holds a delay of so many samples, and the tick being written."""
    return 1 << math.ceil(math.log2(samples + 2 * TICK))


@device
def _stays(over: int, step: int, most: int) -> int:
    """How many samples, `most` at most, are read between the same two of a line.

    `over` is how far beyond the first of them, `step` what that grows by, in fractions of `POINT`.
    Quotients of numbers this small are exact in floats once rounded down, and floats divide sooner.
    """
    if step > 0:
        return min(most, int(float(POINT - over + step - 1) / step))
    if step < 0:
        return min(most, int(float(over) / -step) + 1)
    return most


@device
def _across(line: np.ndarray, start: int, over: int) -> np.float32:
    """What lies `over` beyond the second of four samples from `start` on, around the ring's end."""
    mask = len(line) - 1
    return lagrange(
        line[(start + 3) & mask],
        line[(start + 2) & mask],
        line[(start + 1) & mask],
        line[start & mask],
        np.float32(np.int32(over)) * np.float32(1.0 / POINT),
    )


@device
def _add_stretch(line: np.ndarray, over: int, over_step: int, gain: float, out: np.ndarray) -> None:
    """The part of `add_tap` for which the tap stays between the same two samples."""
    for n in range(len(out)):
        f = np.float32(np.int32(over + n * over_step)) * np.float32(1.0 / POINT)
        out[n] += np.float32(gain) * lagrange(line[n + 3], line[n + 2], line[n + 1], line[n], f)


@device
def add_tap(
    line: np.ndarray, at: int, length: float, length_step: float, gain: float, out: np.ndarray
) -> None:
    """Add a moving tap of a ring to `out` ``[TICK]``, read between its samples.

    `at` is the index of the tick's first sample, `length` its delay in samples.
    """
    mask = len(line) - 1
    # The delay in units of 2**-20 samples: whole numbers are quick to split.
    away = int(length * POINT)
    away_step = int(length_step * POINT)
    n = 0
    while n < TICK:
        whole = away >> POINT_BITS
        over = away & (POINT - 1)
        # As long as the tap stays between the same two samples, the line is read in one stretch.
        count = _stays(over, away_step, TICK - n)
        start = (at + n - whole - 2) & mask
        count = min(count, max(1, len(line) - 3 - start))
        if start + 3 + count <= len(line):
            _add_stretch(line[start:], over, away_step, gain, out[n : n + count])
        else:
            out[n] += np.float32(gain) * _across(line, start, over)
        n += count
        away += count * away_step


@device
def _read_stretch(line: np.ndarray, over: int, over_step: int, out: np.ndarray) -> None:
    """What `_read_passing` reads between the same two samples all along."""
    for n in range(len(out)):
        f = np.float32(np.int32(over + n * over_step)) * np.float32(1.0 / POINT)
        out[n] = lagrange(line[n + 3], line[n + 2], line[n + 1], line[n], f)


@device
def _read_passing(line: np.ndarray, at: int, length: float, step: float, out: np.ndarray) -> None:
    """`read_moving` where the place passes samples, or the end of the ring."""
    mask = len(line) - 1
    away, away_step = int(length * POINT), int(step * POINT)
    n = 0
    while n < TICK:
        whole, over = away >> POINT_BITS, away & (POINT - 1)
        count = _stays(over, away_step, TICK - n)
        start = (at + n - whole - 2) & mask
        # Whole vectors are read: what they hold too much of is read again by what comes next.
        more = min(TICK - n, (count + WIDTH - 1) & -WIDTH)
        if start + 3 + more <= len(line):
            _read_stretch(line[start:], over, away_step, out[n : n + more])
        else:
            count = min(count, max(1, len(line) - 3 - start))
            for i in range(count):
                out[n + i] = _across(line, start + i, over + i * away_step)
        n += count
        away += count * away_step


@device
def read_moving(line: np.ndarray, at: int, away: float, away_step: float, out: np.ndarray) -> None:
    """Read a moving line over a tick into `out` ``[TICK]``, between samples."""
    size = len(line)
    whole = int(away)
    start = (at - whole - 2) & (size - 1)
    f_start = np.float32(away - whole)
    f_step = np.float32(away_step)
    last = f_start + np.float32(TICK - 1) * f_step
    if 0.0 <= last < 1.0 and start + TICK + 3 <= size:
        # The usual case: the place between two samples moves, but stays between them.
        stretch = line[start : start + TICK + 3]
        for n in range(TICK):
            f = f_start + np.float32(n) * f_step
            out[n] = lagrange(stretch[n + 3], stretch[n + 2], stretch[n + 1], stretch[n], f)
        return
    _read_passing(line, at, away, away_step, out)


@device(allocates=True)
def read_crossfaded(line: np.ndarray, at: int, away: float, end: float, out: np.ndarray) -> None:
    """Read a line over a tick from one length to another far off, without a change of pitch.

    `line` is ``[samples]``, `out` ``[TICK]``.
    """
    other = np.empty(TICK, np.float32)
    read_moving(line, at, away, 0.0, out)
    read_moving(line, at, end, 0.0, other)
    for n in range(TICK):
        out[n] += np.float32(n / TICK) * (other[n] - out[n])


@device
def read_going(line: np.ndarray, at: int, away: float, end: float, out: np.ndarray) -> None:
    """Read a line over a tick whose length goes from `away` to `end`; a leap is crossfaded.

    `line` is ``[samples]``, `out` ``[TICK]``.
    """
    if abs(end - away) > FASTEST * TICK:
        read_crossfaded(line, at, away, end, out)
    else:
        read_moving(line, at, away, (end - away) / TICK, out)


@device(fastmath=CONTRACT)
def read_row(
    lines: np.ndarray, ring: int, i: int, at: int, away: float, end: float, out: np.ndarray
) -> None:
    """`read_going` of one of many lines ``[lines, samples]`` into a row of `out` ``[lines, TICK]``.

    For lines that feed themselves: where none leaps they are interpolated more finely.
    """
    if abs(end - away) > FASTEST * TICK:
        read_crossfaded(lines[i, :ring], at, away, end, out[i])
        return
    mask, step = ring - 1, (end - away) / TICK
    for n in range(TICK):
        now = away + n * step
        whole = int(now)
        back = at + n - whole - 3
        out[i, n] = lagrange_six(
            lines[i, (back + 5) & mask], lines[i, (back + 4) & mask], lines[i, (back + 3) & mask],
            lines[i, (back + 2) & mask], lines[i, (back + 1) & mask], lines[i, back & mask],
            np.float32(now - whole),
        )  # fmt: skip
