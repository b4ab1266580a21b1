"""Grains of what plays: short windows on a ring of what was heard last.

Grain number i begins where the density, added up since the cue began, passes i; all of its chance
is a hash of (seed, i). What a grain is, is settled as it begins; so a start at any minute finds the
same grains as a run from the beginning.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import CONTRACT, device
from caligo.movement.chance import combine, signed, unit
from caligo.signal.ring_pyramid import NEWEST, REPEATED, read_tick
from caligo.signal.ticks import TICK

MOST = 512
"""Grains that sound or wait at a time."""
COLUMNS = 8
(AGE, SIZE, PLACE, SPEED, FLANK, LEFT, RIGHT, BEGUN) = range(COLUMNS)
"""Of a grain: samples since its onset at the tick's first sample, samples that it lasts, how far
back it begins and, once it has begun, the sample that is read next; speed, the fraction of it that
each flank takes, gains of both sides, and whether it has begun."""
VALUES = (
    "position", "density", "size", "pitch", "reverse", "window", "position_scatter",
    "time_scatter", "size_scatter", "pitch_scatter", "level_scatter", "pan_scatter",
)  # fmt: skip
(
    POSITION, DENSITY, LENGTH, PITCH, REVERSE, WINDOW, POSITION_SCATTER, TIME_SCATTER,
    SIZE_SCATTER, PITCH_SCATTER, LEVEL_SCATTER, PAN_SCATTER,
) = range(12)  # fmt: skip
LONGEST = 2.0
"""Seconds that a grain lasts at most, its scatter included."""
LATEST = 2.0
"""Seconds by which a grain begins later than its own time at most."""
OCTAVES = 3.0
"""By which a grain is transposed at most, its scatter included."""
SPARSE = 0.3
"""Overlaps below are not made up for: single grains stay single grains."""
S1, S3, S5 = np.float32(1.0), np.float32(-1.0 / 6.0), np.float32(1.0 / 120.0)
S7, S9 = np.float32(-1.0 / 5040.0), np.float32(1.0 / 362880.0)
QUARTER = np.float32(0.5 * math.pi)
APART = 0.002
"""Seconds by which grains of one pitch lie apart before they add up as different sounds do."""


@device
def _loudness(values: np.ndarray, flank: float) -> float:
    """By what a cloud is louder than what it is taken from.

    Grains that lie on top of one another add up in step; others add up in power. `values` are of
    one moment ``[12]``, `flank` as in `FLANK`.
    """
    overlap = values[DENSITY] * values[LENGTH]
    in_step = overlap * (1.0 - 0.5 * flank * 2.0)
    power = overlap * (1.0 - 0.625 * flank * 2.0)
    apart = values[POSITION_SCATTER] / APART
    tuned = 20.0 * (abs(values[PITCH]) + values[PITCH_SCATTER])
    alike = (1.0 - values[REVERSE] / 100.0) / (1.0 + apart * apart + tuned * tuned)
    own = max(power + alike * max(in_step * in_step - power, 0.0), SPARSE)
    # The mean power of levels spread evenly over the scatter is made up for.
    spread = max(values[LEVEL_SCATTER] * math.log(10.0) / 10.0, 1e-6)
    return math.sqrt(own * (1.0 - math.exp(-spread)) / spread)


@device
def begin_grain(
    values: np.ndarray, seed: np.uint64, number: int, wait: float, rate: float, grain: np.ndarray
) -> None:
    """Settle what grain `number` is.

    Parameters
    ----------
    values
        `VALUES` at the moment that it begins ``[12]``.
    wait
        Samples from the tick's first one until then; its scatter in time comes on top.
    grain
        Receives it ``[COLUMNS]``.
    """
    own = combine(seed, number)
    density = max(values[DENSITY], 1e-9)
    late = min(unit(own, 1) * values[TIME_SCATTER] / 100.0 / density, LATEST)
    scale = 2.0 ** (2.0 * signed(own, 2) * values[SIZE_SCATTER] / 100.0)
    octaves = (values[PITCH] + signed(own, 3) * values[PITCH_SCATTER]) / 12.0
    speed = 2.0 ** min(max(octaves, -OCTAVES), OCTAVES)
    # Half a cosine on either side: from smooth to all but flat.
    flank = 0.5 * max(1.0 - values[WINDOW] / 100.0, 0.02)
    level = 10.0 ** (-unit(own, 6) * values[LEVEL_SCATTER] / 20.0) / _loudness(values, flank)
    angle = (1.0 + signed(own, 7) * values[PAN_SCATTER] / 100.0) * math.pi / 4.0
    grain[AGE] = -wait - late * rate
    grain[SIZE] = max(1.0, min(values[LENGTH] * scale, LONGEST) * rate)
    back = values[POSITION] + unit(own, 4) * values[POSITION_SCATTER]
    grain[PLACE] = back * rate
    grain[SPEED] = -speed if unit(own, 5) * 100.0 < values[REVERSE] else speed
    grain[FLANK] = flank
    grain[LEFT] = level * math.sqrt(2.0) * math.cos(angle)
    grain[RIGHT] = level * math.sqrt(2.0) * math.sin(angle)
    grain[BEGUN] = 0.0


@device
def _place(grain: np.ndarray, size: int, head: int, moves: bool) -> None:
    """Find where a grain that begins in this tick is read, so that it stays within the ring.

    Parameters
    ----------
    grain
        ``[COLUMNS]``.
    size, head
        Samples of the ring, and the sample that is written next.
    moves
        Whether anything is written now.
    """
    speed, length = grain[SPEED], grain[SIZE]
    # How its distance from what is written changes in a sample, when that goes on and when not.
    nearest = length * max(0.0, speed - 1.0 if moves else speed) + NEWEST
    farthest = size - NEWEST - length * max(0.0, 1.0 - speed)
    back = min(max(grain[PLACE], nearest), farthest)
    onset = -grain[AGE]
    place = head + (onset if moves else 0.0) - back - speed * onset
    # Whole samples where nothing is transposed: then nothing lies between them.
    grain[PLACE] = math.floor(place + 0.5) if abs(speed) == 1.0 else place
    grain[BEGUN] = 1.0


@device(fastmath=CONTRACT)
def _add(grain: np.ndarray, read: np.ndarray, out: np.ndarray) -> None:
    """Add a tick of a grain, as read ``[2, TICK]``, in its window to `out` ``[2, TICK]``."""
    age, size = grain[AGE], grain[SIZE]
    rise = 0.5 * math.pi / (grain[FLANK] * size)
    up, down, step = np.float32(age * rise), np.float32((size - age) * rise), np.float32(rise)
    left, right = np.float32(grain[LEFT]), np.float32(grain[RIGHT])
    one, other, to_one, to_other = read[0], read[1], out[0], out[1]
    for n in range(TICK):
        rising, falling = up + np.float32(n) * step, down - np.float32(n) * step
        x = rising if rising < falling else falling
        x = x if x > np.float32(0.0) else np.float32(0.0)
        x = x if x < QUARTER else QUARTER
        # A raised cosine is the square of the sine of half the angle, here by Taylor's series.
        q = x * x
        s = x * (S1 + q * (S3 + q * (S5 + q * (S7 + q * S9))))
        window = s * s
        to_one[n] += left * window * one[n]
        to_other[n] += right * window * other[n]


@device
def add_grains(
    grains: np.ndarray,
    count: int,
    rings: np.ndarray,
    head: int,
    moves: bool,
    places: np.ndarray,
    read: np.ndarray,
    out: np.ndarray,
) -> int:
    """Add a tick of all grains to `out` ``[2, TICK]``; how many go on.

    Parameters
    ----------
    grains
        ``[MOST, COLUMNS]``, of which the first `count` sound or wait; carried on.
    rings
        See `caligo.signal.ring_pyramid`.
    head, moves
        See `_place`.
    places, read
        Scratch memory for where and what is read ``[2, TICK]``.
    """
    kept, size = 0, rings.shape[2] - REPEATED
    for i in range(count):
        grain = grains[i]
        if grain[AGE] > -TICK:
            if grain[BEGUN] == 0.0:
                _place(grain, size, head, moves)
            if not moves and grain[PLACE] + TICK * grain[SPEED] > head - NEWEST:
                # Nothing comes after what is frozen: a grain that began before turns round.
                grain[SPEED] = -abs(grain[SPEED])
            read_tick(rings, grain[PLACE], grain[SPEED], places, read)
            _add(grain, read, out)
            grain[PLACE] += TICK * grain[SPEED]
        grain[AGE] += TICK
        if grain[AGE] < grain[SIZE]:
            for v in range(COLUMNS):
                grains[kept, v] = grain[v]
            kept += 1
    return kept
