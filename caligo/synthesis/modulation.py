"""Operators that modulate each other's phase, at a multiple of the sample rate.

Where operators act on each other in a circle, or on themselves, each sample is found by a
fixed number of rounds from silence, each round one sample later than the one before. Feedback
is thus a function of time, as everything else; for moderate amounts it does not differ from a
loop that has always run.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device, kernel
from caligo.movement.chance import wander
from caligo.signal.arrays import copy
from caligo.signal.ticks import TICK
from caligo.synthesis.sines import HALF, sine

ROUNDS = 8
"""Rounds in which a circle of operators settles."""
SINE, TABLE, NOISE = 0, 1, 2


def order_of(count: int, links: list[tuple[int, int]]) -> tuple[list[int], list[int]]:
    """An order in which operators can be computed, and the circle that each belongs to.

    Returns
    -------
    order
        Operators, so that those outside of circles come after all that act on them.
    circle
        By operator: a number shared by all of a circle, or -1.
    """
    reaches = np.eye(count, dtype=bool)
    direct = np.zeros((count, count), dtype=bool)
    for a, b in links:
        direct[a, b] = True
    for _ in range(count):
        reaches = reaches | (reaches @ direct)
    circle = [-1] * count
    for o in range(count):
        around = [p for p in range(count) if reaches[o, p] and reaches[p, o]]
        if len(around) > 1 or direct[o, o]:
            circle[o] = min(around)
    before = reaches.sum(axis=0)
    return sorted(range(count), key=lambda o: (before[o], circle[o], o)), circle


def circles_in_a_row(order: list[int], circle: list[int], links: list[tuple[int, int]]) -> int:
    """How many circles of operators act on each other one after the other, at most.

    Examples
    --------
    >>> order, circle = order_of(3, [(0, 0), (0, 1), (1, 1), (2, 2)])
    >>> circles_in_a_row(order, circle, [(0, 0), (0, 1), (1, 1), (2, 2)])
    2
    """
    behind = [0] * len(order)
    for o in order:
        members = [p for p in order if p == o or (circle[o] >= 0 and circle[p] == circle[o])]
        ahead = [behind[a] for a, b in links if b in members and a not in members]
        behind[o] = max(ahead, default=0) + (circle[o] >= 0)
    return max(behind, default=0)


@device(fastmath=CONTRACT)
def _sines(place: np.ndarray, gain: np.float32, gain_step: np.float32, out: np.ndarray) -> None:
    """Sines at places in cycles ``[samples]``, with a gain that goes in a line."""
    for n in range(len(place)):
        y = sine(place[n] - np.floor(place[n] + HALF))
        out[n] = y * (gain + np.float32(n) * gain_step)


@device
def _table(
    cycle: np.ndarray,
    place: np.ndarray,
    gain: np.float32,
    gain_step: np.float32,
    out: np.ndarray,
) -> None:
    """A cycle ``[length + 1]`` read at places in cycles."""
    length = np.float32(len(cycle) - 1)
    for n in range(len(place)):
        x = (place[n] - np.floor(place[n])) * length
        i = min(int(x), len(cycle) - 2)
        f = x - np.float32(i)
        y = cycle[i] + f * (cycle[i + 1] - cycle[i])
        out[n] = y * (gain + np.float32(n) * gain_step)


@device
def _noise(
    seed: np.uint64,
    place: np.ndarray,
    whole: float,
    gain: np.float32,
    gain_step: np.float32,
    out: np.ndarray,
) -> None:
    """A random wave with two new values in each cycle; `whole` cycles have passed before."""
    for n in range(len(place)):
        y = 1.7 * wander(seed, 2.0 * (whole + place[n]))
        out[n] = np.float32(y) * (gain + np.float32(n) * gain_step)


@device
def _feed_back(
    acting: np.ndarray, amount: np.float32, slope: np.float32, back: int, place: np.ndarray
) -> None:
    """Shift places ``[samples]`` by what a wave was `back` and twice as many samples ago.

    The mean of two moments keeps strong feedback from swinging between them.
    """
    count = len(place) - 2 * back
    there, earlier, here = acting[back : back + count], acting[:count], place[2 * back :]
    first = amount + np.float32(2 * back) * slope
    for n in range(count):
        shift = (first + np.float32(n) * slope) * np.float32(0.5)
        here[n] += shift * (there[n] + earlier[n])


@kernel(
    "i8[::1], i8[::1], i8[::1], f4[:, :, ::1], i8[::1], i8[::1], u8[::1], f8[:, ::1], "
    "f8[:, ::1], f8[:, ::1], i8[:, ::1], f8[:, ::1], f8[:, :, ::1], i8, i8, f4[:, ::1]",
    allocates=True,
)
def render_operators(  # noqa: C901, PLR0912, PLR0915 (one pass over the samples)
    order: np.ndarray,
    circle: np.ndarray,
    waves: np.ndarray,
    tables: np.ndarray,
    limits: np.ndarray,
    table_of: np.ndarray,
    seeds: np.ndarray,
    phase: np.ndarray,
    steps: np.ndarray,
    levels: np.ndarray,
    links: np.ndarray,
    amounts: np.ndarray,
    gains: np.ndarray,
    in_a_row: int,
    factor: int,
    out: np.ndarray,
) -> None:
    """One voice's operators at `factor` times the sample rate.

    Parameters
    ----------
    order, circle
        See `order_of` ``[operators]``.
    waves
        Sine, table or noise ``[operators]``.
    tables, limits, table_of
        Cycles ``[tables, levels, length + 1]``, the partials of each level, and which table an
        operator reads.
    phase
        Cycles since the voice began at the start of every tick ``[operators, ticks]``.
    steps
        Cycles per sample at that rate, at every tick ``[operators, ticks + 1]``.
    levels
        Envelopes at every tick ``[operators, ticks + 1]``.
    links, amounts
        ``(from, to)`` pairs ``[links, 2]``, and shifts in cycles ``[links, ticks + 1]``.
    gains
        How loud each operator is in each output ``[outputs, operators, ticks + 1]``.
    in_a_row
        See `circles_in_a_row`: each circle needs what acts on it as early as it begins itself.
    factor
        A multiple of two. Feedback looks back by the same time at each: by a sample and by two at
        twice the sample rate.
    out
        Accumulated to ``[outputs, factor * TICK * ticks]``.
    """
    count, ticks = phase.shape
    loops = in_a_row > 0
    back = factor // 2
    over = factor * TICK
    extra = 2 * back * ROUNDS * in_a_row
    size = over + extra
    wave = np.zeros((count, size), np.float32)
    base = np.empty((count, size), np.float32)
    place = np.empty(size, np.float32)
    rank = np.empty(count, np.int64)
    for i in range(count):
        rank[order[i]] = i
    # Numbers of samples as floats: whole numbers would keep the loop from vector instructions.
    number = np.arange(size) - float(extra)
    for k in range(ticks):
        for o in range(count):
            step = steps[o, k]
            slope = (steps[o, k + 1] - step) / (2 * over)
            whole = phase[o, k] - math.floor(phase[o, k])
            turn = base[o]
            for n in range(size):
                turn[n] = np.float32(whole + number[n] * (step + number[n] * slope))
            if loops:
                wave[o, :] = 0.0
        i = 0
        while i < count:
            group = circle[order[i]]
            end = i + 1
            if group >= 0:
                while end < count and circle[order[end]] == group:
                    end += 1
            for _ in range(ROUNDS if group >= 0 else 1):
                for j in range(i, end):
                    o = order[j]
                    copy(base[o], place)
                    for link in range(links.shape[0]):
                        if links[link, 1] != o:
                            continue
                        source = links[link, 0]
                        slope32 = np.float32((amounts[link, k + 1] - amounts[link, k]) / over)
                        amount = np.float32(amounts[link, k]) - np.float32(extra) * slope32
                        acting = wave[source]
                        if group >= 0 and circle[source] == group and rank[source] >= j:
                            _feed_back(acting, amount, slope32, back, place)
                        else:
                            for n in range(size):
                                place[n] += (amount + np.float32(n) * slope32) * acting[n]
                    gain_step = np.float32((levels[o, k + 1] - levels[o, k]) / over)
                    gain = np.float32(levels[o, k]) - np.float32(extra) * gain_step
                    if waves[o] == SINE:
                        _sines(place, gain, gain_step, wave[o])
                    elif waves[o] == TABLE:
                        level = 0
                        fastest = max(steps[o, k], steps[o, k + 1])
                        while level < len(limits) - 1 and limits[level] * fastest * factor > 0.5:
                            level += 1
                        _table(tables[table_of[o], level], place, gain, gain_step, wave[o])
                    else:
                        passed = math.floor(phase[o, k])
                        _noise(seeds[o], place, passed, gain, gain_step, wave[o])
            i = end
        for c in range(gains.shape[0]):
            to = out[c, k * over : (k + 1) * over]
            for o in range(count):
                g, g_end = gains[c, o, k], gains[c, o, k + 1]
                if g == 0.0 and g_end == 0.0:
                    continue
                gain = np.float32(g)
                gain_step = np.float32((g_end - g) / over)
                own = wave[o, extra:]
                for n in range(over):
                    to[n] += own[n] * (gain + np.float32(n) * gain_step)


@kernel("f8[::1], f8[:, ::1], f8[:, ::1]")
def accumulate_operator_phases(phase: np.ndarray, step: np.ndarray, at_ticks: np.ndarray) -> None:
    """Add up operators' cycles ``[operators]`` over ``[operators, ticks + 1]`` steps.

    `step` is in cycles per sample at the sample rate itself; `at_ticks` ``[operators, ticks]``
    receives the cycles at every tick, and may be empty.
    """
    for o in range(len(phase)):
        for k in range(step.shape[1] - 1):
            if at_ticks.shape[1] > 0:
                at_ticks[o, k] = phase[o]
            phase[o] += 0.5 * TICK * (step[o, k] + step[o, k + 1])


def as_links(pairs: list[tuple[int, int]]) -> NDArray[np.int64]:
    """``(from, to)`` pairs as an array ``[links, 2]``, also where there are none."""
    return np.array(pairs, dtype=np.int64).reshape(-1, 2)
