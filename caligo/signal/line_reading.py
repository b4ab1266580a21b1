"""Reading the lines of a feedback network, each at a place and a pace of its own."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import CONTRACT, device
from caligo.signal.delay_line import FIVE, FOUR, ONE, THREE, TWO, read_row
from caligo.signal.feedback_network import APART, LINES
from caligo.signal.interpolation import lagrange_six
from caligo.signal.ticks import TICK


@device(fastmath=CONTRACT)
def _find(
    rate: float,
    seconds: np.ndarray,
    size: float,
    to_size: float,
    freeze: float,
    to_freeze: float,
    away: np.ndarray,
    to_away: np.ndarray,
    places: np.ndarray,
) -> None:
    """How far back every line is read at the ends of a tick, in samples.

    `places` ``[3, LINES]`` receives that at its start and its end, and that at its start in whole
    samples. Apart from the reading, this becomes vector instructions.
    """
    begins, ends, wholes = places[0], places[1], places[2]
    for i in range(LINES):
        length, to_length = seconds[i] * size * rate, seconds[i] * to_size * rate
        begin, end = length + away[i] * rate, to_length + to_away[i] * rate
        begin += freeze * (math.floor(length) - begin)
        end += to_freeze * (math.floor(to_length) - end)
        begins[i], ends[i], wholes[i] = begin, end, math.floor(begin)


@device(fastmath=CONTRACT)
def _read(
    line: np.ndarray, start: int, over: float, step: float, first: int, held: np.ndarray
) -> None:
    """As many samples as `held` ``[samples]`` takes, which lie between the same two of a line.

    `start` is where the line is read for a tick's first sample, `over` how far beyond; `first` is
    which sample of the tick is the first that is read.
    """
    s, f_start, f_step = np.uint64(start + first), np.float32(over), np.float32(step)
    at = np.float32(first)
    for n in range(np.uint64(len(held))):
        f = f_start + (at + np.float32(np.int32(n))) * f_step
        held[n] = lagrange_six(
            line[s + n + FIVE], line[s + n + FOUR], line[s + n + THREE],
            line[s + n + TWO], line[s + n + ONE], line[s + n], f,
        )  # fmt: skip


@device(fastmath=CONTRACT, inline="always")
def _read_tick(line: np.ndarray, start: int, over: float, step: float, held: np.ndarray) -> None:
    """A whole tick that lies between the same two samples of a line; see `_read`.

    By itself, since how often a loop goes round is known here: most lines are read so.
    """
    s, f_start, f_step = np.uint64(start), np.float32(over), np.float32(step)
    for n in range(np.uint64(TICK)):
        f = f_start + np.float32(np.int32(n)) * f_step
        held[n] = lagrange_six(
            line[s + n + FIVE], line[s + n + FOUR], line[s + n + THREE],
            line[s + n + TWO], line[s + n + ONE], line[s + n], f,
        )  # fmt: skip


@device(fastmath=CONTRACT)
def read_lines(
    lines: np.ndarray,
    at: int,
    rate: float,
    seconds: np.ndarray,
    size: float,
    to_size: float,
    freeze: float,
    to_freeze: float,
    away: np.ndarray,
    to_away: np.ndarray,
    places: np.ndarray,
    held: np.ndarray,
) -> None:
    """Read all `lines` ``[LINES, size]`` over a tick, each swaying at a pace of its own.

    It goes into `held` ``[LINES, TICK]``; `seconds` are their lengths ``[LINES]``, `away` and
    `to_away` what they sway by, see `caligo.signal.feedback_network.swing`. Frozen ones stand still
    at whole samples, so that nothing is lost between samples. `places` ``[3, LINES]`` is room.
    """
    ring = lines.shape[1] - APART
    _find(rate, seconds, size, to_size, freeze, to_freeze, away, to_away, places)
    for i in range(LINES):
        begin, end, whole = places[0, i], places[1, i], places[2, i]
        start, step, over = (at - int(whole) - 3) & (ring - 1), (end - begin) / TICK, begin - whole
        if abs(end - begin) >= 1.0 or start == 0 or start + TICK + 5 > ring:
            read_row(lines, ring, i, at, begin, end, held)
            continue
        last = over + (TICK - 1) * step
        if 0.0 <= last < 1.0:
            _read_tick(lines[i], start, over, step, held[i])
            continue
        # It passes into the next sample once, and is read in two stretches.
        passes = math.ceil((1.0 - over) / step) if step > 0.0 else int(over / -step) + 1
        more = 1 if step > 0.0 else -1
        _read(lines[i], start, over, step, 0, held[i, :passes])
        _read(lines[i], start - more, over - more, step, passes, held[i, passes:])
