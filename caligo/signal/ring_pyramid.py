"""A ring of what was heard last, kept at its own rate, at half and at a quarter of it.

What is read faster than it was written folds; a ring of fewer samples holds less that could. Each
ring's beginning stands behind its end once more, so that a reading need not come round.

Source of the halving: Oppenheim and Schafer, Discrete-Time Signal Processing, section 4.6 (from
memory); of the reading, see `caligo.signal.sinc`.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device
from caligo.signal.arrays import copy
from caligo.signal.oversampling import half_band
from caligo.signal.sinc import PHASES, sinc_table
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, load_from, store, totals

LEVELS = 3
TAPS = 16
AHEAD = TAPS // 2
"""Samples of a ring that a reading needs after its place."""
WEIGHTS: NDArray[np.float32] = sinc_table(TAPS, 6.0)[::-1].ravel()
"""``[(PHASES + 1) * TAPS]``, by how far a place lies after a sample: images lie 62 dB down, and all
is even up to 0.37 of the rate."""
POINT_BITS = 24
"""Bits of the fraction of a sample, of which the first eight say which weights are taken."""
POINT, PHASE_BITS = float(1 << POINT_BITS), POINT_BITS - 8
REST = (1 << PHASE_BITS) - 1
REPEATED = 6 * TICK
"""Samples of a ring's beginning that stand behind its end."""
FASTEST = 1.5
"""The speed up to which a ring is read; a faster reading takes the next, at half the rate."""
HALVING = half_band(24)
STRETCH = TICK + len(HALVING)
LATENCY = 32
"""Samples by which the next ring is later; the filter looks `len(HALVING)` ahead."""
NEWEST = LATENCY + 2 * LATENCY + 4 * AHEAD + TICK
"""Samples at the full rate from which on every ring can be read."""
ONE = np.uint64(1)


def ring_shape(size: int) -> tuple[int, int, int]:
    """The shape of the rings ``[LEVELS, 2, samples]`` of `size` samples at the full rate."""
    return (LEVELS, 2, size + REPEATED)


@device(fastmath=CONTRACT)
def _halve(
    ring: np.ndarray, size: int, at: int, count: int, stretch: np.ndarray, out: np.ndarray
) -> None:
    """Every other sample of a ring without what lies above half its band.

    Parameters
    ----------
    ring
        ``[samples]``, of which the first `size` go round.
    at, count
        The sample that the first of `out` lies on, and how many are made.
    stretch
        Scratch memory for samples on the grid of `out`, and for those between ``[2, STRETCH]``.
    out
        Receives them ``[count]``.
    """
    on, between, mask = stretch[0], stretch[1], size - 1
    start = at - len(HALVING) + 1
    for j in range(count):
        on[j] = ring[(at + 2 * j) & mask]
    for j in range(count + len(HALVING)):
        between[j] = ring[(start + 2 * j) & mask]
    for j in range(count):
        out[j] = np.float32(0.5) * on[j]
    for t in range(len(HALVING)):
        weight, there = HALVING[t], between[t : t + count]
        for j in range(count):
            out[j] += weight * there[j]


@device
def write_tick(tick: np.ndarray, rings: np.ndarray, at: int, stretch: np.ndarray) -> None:
    """Write a tick ``[2, TICK]`` into the rings ``[LEVELS, 2, samples]`` at the sample `at`.

    `stretch` is scratch memory ``[3, STRETCH]``.
    """
    size = rings.shape[2] - REPEATED
    made = stretch[2]
    for c in range(2):
        copy(tick[c], made[:TICK])
        here, count = at, TICK
        for level in range(LEVELS):
            own, ring = size >> level, rings[level, c]
            if level > 0:
                count >>= 1
                _halve(rings[level - 1, c], 2 * own, here - LATENCY, count, stretch, made[:count])
                here = (here - LATENCY) >> 1
            # Ticks lie in a ring as wholes, whatever their part of it.
            first = here & (own - 1)
            if first + count <= own:
                copy(made, ring[first : first + count])
            else:
                for n in range(count):
                    ring[(first + n) & (own - 1)] = made[n]
            for n in range(count):
                place = (here + n) & (own - 1)
                if place < REPEATED:
                    ring[own + place] = made[n]


@device
def level_of(speed: float) -> int:
    """The ring that is read at a speed: the widest that is not read faster than `FASTEST`."""
    size = abs(speed)
    return 0 if size <= FASTEST else (1 if size <= 2.0 * FASTEST else 2)


@device(fastmath=CONTRACT)
def _weights(row: np.uint64, f: np.float32) -> tuple[Any, Any]:
    """The weights of a place: both halves of the taps, in vectors."""
    then = row + np.uint64(TAPS)
    a, b = load_from(WEIGHTS, row), load_from(WEIGHTS, row + np.uint64(WIDTH))
    c, d = load_from(WEIGHTS, then), load_from(WEIGHTS, then + np.uint64(WIDTH))
    return a + f * (c - a), b + f * (d - b)


@device(fastmath=CONTRACT)
def _products(
    left: np.ndarray, right: np.ndarray, first: np.uint32, row: np.uint32, f: np.float32
) -> tuple[Any, Any]:
    """A sample of both channels, as vectors of which they are the sums."""
    low, high = _weights(np.uint64(row) * np.uint64(TAPS), f)
    at = np.uint64(first)
    then = at + np.uint64(WIDTH)
    return (
        low * load_from(left, at) + high * load_from(left, then),
        low * load_from(right, at) + high * load_from(right, then),
    )


@device(fastmath=CONTRACT)
def _read_between(
    left: np.ndarray, right: np.ndarray, begin: float, step: float, places: np.ndarray,
    out: np.ndarray,
) -> None:  # fmt: skip
    """Read both channels over a tick at places `step` apart into `out` ``[2, TICK]``.

    `places` is scratch memory ``[2, TICK]``.
    """
    first, rows, fractions = places[0], places[1], out[0]
    lowest = math.floor(min(begin, begin + (TICK - 1) * step))
    # In whole numbers of 32 bits, so that the loop becomes vector instructions.
    since, by = np.int32((begin - lowest) * POINT), np.int32(step * POINT)
    base = np.int32(lowest) + np.int32(1 - AHEAD)
    for n in range(TICK):
        place = np.int32(since + np.int32(n) * by)
        first[n] = np.uint32(base + (place >> np.int32(POINT_BITS)))
        rows[n] = np.uint32((place >> np.int32(PHASE_BITS)) & np.int32(PHASES - 1))
        fractions[n] = np.float32(place & np.int32(REST)) * np.float32(1.0 / (REST + 1))
    ahead, beside = out[0].reshape(TICK // WIDTH, WIDTH), out[1].reshape(TICK // WIDTH, WIDTH)
    for row in range(np.uint64(TICK // WIDTH)):
        a = row * np.uint64(WIDTH)
        b = a + ONE
        c, d = b + ONE, b + np.uint64(2)
        e, f = d + ONE, d + np.uint64(2)
        g, h = f + ONE, f + np.uint64(2)
        la, ra = _products(left, right, first[a], rows[a], fractions[a])
        lb, rb = _products(left, right, first[b], rows[b], fractions[b])
        lc, rc = _products(left, right, first[c], rows[c], fractions[c])
        ld, rd = _products(left, right, first[d], rows[d], fractions[d])
        le, re = _products(left, right, first[e], rows[e], fractions[e])
        lf, rf = _products(left, right, first[f], rows[f], fractions[f])
        lg, rg = _products(left, right, first[g], rows[g], fractions[g])
        lh, rh = _products(left, right, first[h], rows[h], fractions[h])
        store(ahead, row, totals(la, lb, lc, ld, le, lf, lg, lh))
        store(beside, row, totals(ra, rb, rc, rd, re, rf, rg, rh))


@device
def read_tick(
    rings: np.ndarray, place: float, speed: float, places: np.ndarray, out: np.ndarray
) -> None:
    """Read a tick of both channels into `out` ``[2, TICK]``.

    Parameters
    ----------
    rings
        ``[LEVELS, 2, samples]``.
    place
        The sample at the full rate that the tick's first one is read at.
    speed
        Samples that a reading goes on by in a sample; 1 on whole samples is a copy.
    places
        Scratch memory ``[2, TICK]``.
    """
    size = rings.shape[2] - REPEATED
    level = level_of(speed)
    left, right = rings[level, 0], rings[level, 1]
    ratio = 1.0 / (1 << level)
    own = float(size >> level)
    step = speed * ratio
    begin = place * ratio
    # As the ring's repeated stretch allows it: the lowest place lies in the ring, behind its taps.
    lowest = min(begin, begin + (TICK - 1) * step) - AHEAD
    begin -= math.floor(lowest / own) * own
    whole = math.floor(begin)
    if begin == whole and abs(step) == 1.0:
        first, last = np.int64(whole), TICK - 1
        if step > 0.0:
            copy(left[first : first + TICK], out[0])
            copy(right[first : first + TICK], out[1])
        else:
            one, other = left[first - last : first + 1], right[first - last : first + 1]
            for n in range(TICK):
                out[0, n], out[1, n] = one[last - n], other[last - n]
    else:
        _read_between(left, right, begin, step, places, out)
