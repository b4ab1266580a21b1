"""A pitch shifter for loops: a line that is read faster or slower, in spliced stretches.

A reading that is faster than the line runs out of it, and goes on from an earlier place, where the
wave looks as it does now: a single note then goes on without a seam, at exactly its new pitch.
Source: S. Roucos and A. Wilgus, "High quality time-scale modification for speech" (ICASSP 1985),
whose overlaps are brought in step by correlation in the same way.

Splices lie on one grid for all renders, and prefer the place nearest to a fixed one. In a loop each
turn's phase hangs on the one before, without end: a start with a run-in gives the same pitches and
levels in other phases, a kept state the same samples.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import CONTRACT, device
from caligo.signal.exponential import sine_of_turns
from caligo.signal.sinc import AHEAD, read_sinc
from caligo.signal.ticks import TICK

APART, FADE = 0.1, 0.03
"""Seconds between splices, and in which one reading gives way to the next."""
RANGE = 0.018
"""Seconds by which a splice may lie on either side of its usual place: a cycle of 28 Hz in all."""
COMPARED = 0.025
"""Seconds of the wave that are compared."""
COARSE = 12_000.0
"""Samples per second at which places are compared at first."""
HEADS = 4
"""What is known of a channel's readings: the delays of this and of the one before, how alike both
are, and whether there is one before."""
LEANING = 0.05
"""How much less alike the farthest place counts: among equal ones the nearest is taken."""
QUIET = 1e-30
"""What keeps a silent wave from being divided by nothing."""


def longest(speed: float) -> float:
    """Seconds of line that a reading needs at a speed."""
    return abs(speed - 1.0) * (APART + FADE) + 2.0 * RANGE + COMPARED + 0.01


@device(fastmath=CONTRACT, allocates=True)
def _alike(
    lines: np.ndarray, first: int, last: int, at: int, now: int, low: int, step: int, count: int,
    places: int, scores: np.ndarray,
) -> None:  # fmt: skip
    """How much the wave before a reading is like that before each of some places.

    Parameters
    ----------
    lines
        Rings ``[2, size]``, of which `first` to `last` are taken together.
    now, low, step
        Samples before `at` at which the reading is, at which the first place lies, and from one
        place to the next and one compared value to the next, which is the mean of as many.
    count, places
        How many values are compared, and at how many places.
    scores
        Receives the normalized correlations ``[places]``.
    """
    mask = lines.shape[1] - 1
    products, energies, own = np.zeros(places), np.zeros(places), 0.0
    here, there = np.empty(count), np.empty(places + count)
    for c in range(first, last):
        for m in range(len(there)):
            total = 0.0
            for i in range(step):
                total += lines[c, (at - low - m * step - i) & mask]
            there[m] = total
        for m in range(count):
            total = 0.0
            for i in range(step):
                total += lines[c, (at - now - m * step - i) & mask]
            here[m] = total
            own += total * total
        for m in range(count):
            value, across = here[m], there[m:]
            for q in range(places):
                products[q] += value * across[q]
                energies[q] += across[q] * across[q]
    for q in range(places):
        scores[q] = products[q] / math.sqrt(own * energies[q] + QUIET)


@device(allocates=True)
def _splice(
    lines: np.ndarray, first: int, last: int, at: int, rate: float, usual: float,
    heads: np.ndarray,
) -> None:  # fmt: skip
    """Let channels `first` to `last` go on from where the wave is as it is now, near a place."""
    now = heads[first, 0]
    cut = int(now)
    side = RANGE * rate
    step = max(1, int(rate / COARSE))
    low, places = int(usual - side), int(2.0 * side / step)
    scores = np.empty(places)
    _alike(lines, first, last, at, cut, low, step, int(COMPARED * rate / step), places, scores)
    best, most = 0, -2.0
    for q in range(places):
        off = (low + q * step - usual) / side
        score = scores[q] - LEANING * off * off
        if score > most:
            best, most = low + q * step, score
    low, places = best - step - 1, 2 * step + 3
    fine = np.empty(places)
    _alike(lines, first, last, at, cut, low, 1, int(COMPARED * rate), places, fine)
    peak = 1
    for q in range(1, places - 1):
        if fine[q] > fine[peak]:
            peak = q
    # The top of the parabola through the best place and its neighbours.
    bend = fine[peak - 1] - 2.0 * fine[peak] + fine[peak + 1]
    beyond = 0.5 * (fine[peak - 1] - fine[peak + 1]) / bend if bend < 0.0 else 0.0
    to = low + peak + min(max(beyond, -0.5), 0.5) + (now - cut)
    for c in range(first, last):
        heads[c, 0], heads[c, 1] = to, now
        heads[c, 2], heads[c, 3] = min(max(fine[peak], 0.0), 1.0), 1.0


@device(allocates=True)
def shift_pitch(
    signal: np.ndarray,
    lines: np.ndarray,
    at: int,
    rate: float,
    speeds: np.ndarray,
    ends: np.ndarray,
    table: np.ndarray,
    heads: np.ndarray,
) -> None:
    """Shift the pitch of a tick `signal` ``[2, TICK]`` in place.

    Parameters
    ----------
    lines
        Rings of what came in ``[2, size]``, of `longest` seconds at least.
    at
        The index of the tick's first sample.
    speeds, ends
        How fast each channel is read at the tick's beginning and end ``[2]``; 2 for an octave up.
    table
        See `caligo.signal.sinc.sinc_table`.
    heads
        What is known of the readings ``[2, HEADS]``; carried on.
    """
    mask = lines.shape[1] - 1
    here = at & mask
    apart, fade = int(APART * rate / TICK), int(FADE * rate / TICK)
    place = (at // TICK) % apart
    for c in range(2):
        for n in range(TICK):
            lines[c, here + n] = signal[c, n]
    together = speeds[0] == speeds[1] and ends[0] == ends[1] and heads[0, 0] == heads[1, 0]
    one, other = np.empty(TICK, np.float32), np.empty(TICK, np.float32)
    for c in range(2):
        grows = 1.0 - 0.5 * (speeds[c] + ends[c])
        nearest = AHEAD + 4.0 + TICK * abs(grows)
        usual = nearest + RANGE * rate + max(0.0, -grows) * (apart + fade) * TICK
        if heads[c, 0] == 0.0:
            heads[c, 0], heads[c, 3] = usual, 0.0
        elif place == 0 and c == 0 and together:
            _splice(lines, 0, 2, at, rate, usual, heads)
        elif place == 0 and not together:
            _splice(lines, c, c + 1, at, rate, usual, heads)
        read_sinc(lines[c], at, heads[c, 0], grows, table, one)
        heads[c, 0] = max(heads[c, 0] + TICK * grows, nearest)
        if place < fade and heads[c, 3] > 0.0:
            read_sinc(lines[c], at, heads[c, 1], grows, table, other)
            heads[c, 1] = max(heads[c, 1] + TICK * grows, nearest)
            alike = heads[c, 2]
            for n in range(TICK):
                # A raised cosine is the square of the sine of half the angle.
                half = sine_of_turns(0.25 * (place + n / TICK) / fade)
                rise = half * half
                falls = 1.0 - rise
                # As loud in the middle as at the ends, however alike both are.
                power = rise * rise + falls * falls + 2.0 * rise * falls * alike
                one[n] = np.float32((rise * one[n] + falls * other[n]) / math.sqrt(power))
        for n in range(TICK):
            signal[c, n] = one[n]
