"""Clouds of grains: when each begins, what chance makes of it, and how it is added up.

Grain number i of a voice begins where the density, added up since the note began, passes i.
All of a grain's chance is a hash of (seed, i), so that the cloud is a function of time.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from caligo.kernels import CONTRACT, device, kernel
from caligo.movement.chance import combine, signed, unit
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, load, load_from, store, totals
from caligo.synthesis.drawing import PHASES, TAPS, level_for
from caligo.synthesis.sines import sine

LONGEST = 4.0
"""Seconds that a grain lasts at most, its scatter included."""
SPARSE = 0.3
"""Overlaps below are not made up for: single grains stay single grains."""
MOVED = (
    "position", "density", "size", "pitch", "reverse", "window", "pan", "level", "fine",
    "position_scatter", "time_scatter", "size_scatter", "pitch_scatter", "level_scatter",
    "pan_scatter",
)  # fmt: skip
(
    POSITION, DENSITY, SIZE, PITCH, REVERSE, WINDOW, PAN, LEVEL, FINE, POSITION_SCATTER,
    TIME_SCATTER, SIZE_SCATTER, PITCH_SCATTER, LEVEL_SCATTER, PAN_SCATTER, TUNED,
) = range(16)  # fmt: skip
ROWS = TAPS // WIDTH
"""Vectors of taps that a sample is read with."""
COLUMNS = 9
"""Of a grain: onset, length, place, speed, flank, left, right, number, level in dB."""


@kernel("f8, f8[::1], f8, f8[::1]")
def add_density(
    passed: float, density: np.ndarray, seconds: float, trajectory: np.ndarray
) -> float:
    """Grains begun, added up over cells of `seconds` from densities at their borders.

    `density` is ``[cells + 1]``; `trajectory` takes the counts at the cells' starts ``[cells]``,
    or is empty.
    """
    for c in range(len(density) - 1):
        if len(trajectory) > 0:
            trajectory[c] = passed
        passed += 0.5 * seconds * (density[c] + density[c + 1])
    return passed


@device
def _crossing(count: float, begun: float, a: float, b: float, seconds: float) -> float:
    """When in a cell the density, going from `a` to `b`, has added up from `begun` to `count`."""
    need = count - begun
    slope = (b - a) / seconds
    if abs(slope) < 1e-12:
        return need / max(a, 1e-12)
    # The root of slope/2 t² + a t - need = 0 that lies in the cell.
    return 2.0 * need / (a + math.sqrt(max(a * a + 2.0 * slope * need, 0.0)))


@device
def _window_power(flank: float) -> float:
    """The mean square of a tapered cosine window whose flanks take `flank` of it."""
    return 1.0 - 0.625 * flank


@kernel(
    "f8[:, ::1], f8[::1], f8, f8, i8, f8, f8, f8[::1], f8[::1], i8, f8, f8, u8, f8[:, ::1]",
    allocates=True,
)
def find_grains(
    values: np.ndarray,
    begun: np.ndarray,
    first: float,
    last: float,
    first_cell: int,
    seconds: float,
    note_start: float,
    travel: np.ndarray,
    travel_speed: np.ndarray,
    frames: int,
    recording_rate: float,
    rate: float,
    seed: np.uint64,
    out: np.ndarray,
) -> int:
    """The grains that sound between two moments.

    Parameters
    ----------
    values
        Parameters at the borders of cells ``[cells + 1, 16]``, in the units of the catalogue;
        the last is the voice's transposition in octaves.
    begun
        Grains begun at each border ``[cells + 1]``.
    first, last
        Seconds.
    first_cell, seconds
        The first cell's number since the start of time, and how long each is.
    travel, travel_speed
        Shares of the recording that the position has moved on by at each border since the
        note's start ``[cells + 1]``, empty where the speed stays; and shares in a second, as
        many, or one.
    out
        Receives grains ``[at most, COLUMNS]``; how many there are is returned.
    """
    count = 0
    cells = len(begun) - 1
    for c in range(cells):
        # A grain may begin up to a whole turn later than its own by its scatter in time.
        number = math.ceil(begun[c])
        while number < begun[c + 1] and count < out.shape[0]:
            a, b = values[c, DENSITY], values[c + 1, DENSITY]
            inside = _crossing(number, begun[c], a, b, seconds)
            own = combine(seed, number)
            late = unit(own, 1) * values[c, TIME_SCATTER] / 100.0 / max(a, 1e-9)
            onset = (first_cell + c) * seconds + inside + min(late, 2.0)
            x = inside / seconds
            row = np.empty(16)
            for v in range(16):
                row[v] = values[c, v] + x * (values[c + 1, v] - values[c, v])
            scale = 2.0 ** (2.0 * signed(own, 2) * row[SIZE_SCATTER] / 100.0)
            size = min(row[SIZE] * scale, LONGEST)
            if onset < last and onset + size > first:
                octaves = row[TUNED] + row[PITCH] / 12.0 + row[FINE] / 1200.0
                octaves += signed(own, 3) * row[PITCH_SCATTER] / 12.0
                speed = 2.0 ** min(max(octaves, -7.0), 7.0) * recording_rate / rate
                reach = size * rate * speed
                if len(travel) > 0:
                    since = onset - (first_cell + c) * seconds
                    fraction = row[POSITION] / 100.0 + travel[c] + travel_speed[c] * since
                else:
                    fraction = row[POSITION] / 100.0 + travel_speed[0] * (onset - note_start)
                fraction += signed(own, 4) * row[POSITION_SCATTER] / 200.0
                place = (fraction - math.floor(fraction)) * frames
                place = min(max(place, 0.0), max(0.0, frames - reach))
                if unit(own, 5) * 100.0 < row[REVERSE]:
                    place = min(place + reach, float(frames))
                    speed = -speed
                flank = max(1.0 - row[WINDOW] / 100.0, 0.02)
                overlap = row[DENSITY] * row[SIZE] * _window_power(flank)
                decibels = row[LEVEL] - unit(own, 6) * row[LEVEL_SCATTER]
                # The mean power of levels spread evenly over the scatter is made up for.
                spread = max(row[LEVEL_SCATTER] * math.log(10.0) / 10.0, 1e-6)
                softened = (1.0 - math.exp(-spread)) / spread
                gain = 10.0 ** (decibels / 20.0) / math.sqrt(max(overlap, SPARSE) * softened)
                pan = row[PAN] / 100.0 + signed(own, 7) * row[PAN_SCATTER] / 100.0
                angle = (min(max(pan, -1.0), 1.0) + 1.0) * math.pi / 4.0
                out[count, 0] = onset
                out[count, 1] = size
                out[count, 2] = place
                out[count, 3] = speed
                out[count, 4] = flank
                out[count, 5] = gain * math.sqrt(2.0) * math.cos(angle)
                out[count, 6] = gain * math.sqrt(2.0) * math.sin(angle)
                out[count, 7] = number
                out[count, 8] = decibels
                count += 1
            number += 1
    return count


@device(fastmath=CONTRACT)
def _weighted(
    flat: np.ndarray, first: np.uint64, sincs: np.ndarray, phase: np.uint32, fraction: np.float32
) -> Any:
    """Eight numbers whose sum is that of `caligo.synthesis.drawing.sinc_sum`."""
    row = np.intp(phase) * ROWS
    taken = load_from(flat, first)
    below, above = load(sincs, row) * taken, load(sincs, row + ROWS) * taken
    for k in range(1, ROWS):
        taken = load_from(flat, first + np.uint64(k * WIDTH))
        below += load(sincs, row + k) * taken
        above += load(sincs, row + ROWS + k) * taken
    return below + fraction * (above - below)


@device(fastmath=CONTRACT)
def _read_evenly(
    flat: np.ndarray,
    first: np.uint64,
    last: float,
    sincs: np.ndarray,
    begin: float,
    step: float,
    read: np.ndarray,
    places: np.ndarray,
    fractions: np.ndarray,
) -> None:
    """Read a tick's samples at places `step` apart, eight at once.

    Parameters
    ----------
    flat, first, last
        Where in `flat` the taps around the copy's third sample before its first begin; no place
        beyond `last` is read.
    sincs
        `caligo.synthesis.drawing.SINCS`.
    begin
        The place of the tick's first sample.
    read
        Receives what is read ``[TICK]``.
    places, fractions
        Room for places and phases ``[2, TICK]``, and for fractions of the way to the next phase
        ``[TICK]``.
    """
    for n in range(TICK):
        p = begin + n * step
        p = p if p > -3.0 else -3.0
        p = p if p < last else last
        i = np.floor(p)
        x = (p - i) * PHASES
        phase = np.floor(x)
        fractions[n] = np.float32(x - phase)
        places[0, n] = np.uint32(np.int32(i) + np.int32(3))
        places[1, n] = np.uint32(phase)
    at, phases = places[0], places[1]
    for row in range(np.uint64(TICK // WIDTH)):
        a = row * np.uint64(WIDTH)
        b, c, d, e = a + np.uint64(1), a + np.uint64(2), a + np.uint64(3), a + np.uint64(4)
        f, g, h = a + np.uint64(5), a + np.uint64(6), a + np.uint64(7)
        found = totals(
            _weighted(flat, first + np.uint64(at[a]), sincs, phases[a], fractions[a]),
            _weighted(flat, first + np.uint64(at[b]), sincs, phases[b], fractions[b]),
            _weighted(flat, first + np.uint64(at[c]), sincs, phases[c], fractions[c]),
            _weighted(flat, first + np.uint64(at[d]), sincs, phases[d], fractions[d]),
            _weighted(flat, first + np.uint64(at[e]), sincs, phases[e], fractions[e]),
            _weighted(flat, first + np.uint64(at[f]), sincs, phases[f], fractions[f]),
            _weighted(flat, first + np.uint64(at[g]), sincs, phases[g], fractions[g]),
            _weighted(flat, first + np.uint64(at[h]), sincs, phases[h], fractions[h]),
        )
        store(read, row, found)


@device
def _tick_of_grain(
    flat: np.ndarray,
    first: np.uint64,
    last: float,
    sincs: np.ndarray,
    place: float,
    step: float,
    since: float,
    size: float,
    rise: float,
    a: np.float32,
    b: np.float32,
    left: np.ndarray,
    right: np.ndarray,
    at: np.uint64,
    places: np.ndarray,
    scratch: np.ndarray,
) -> None:
    """Add a tick of a grain, which begins `since` samples after its onset.

    Outside of the grain its window is zero. See `_read_evenly` for `flat` to `sincs`. As in the
    wavetable source, the work is split into short loops over `places` ``[2, TICK]`` and `scratch`
    ``[3, TICK]``, which the compiler turns into vector instructions.
    """
    window, read = scratch[0], scratch[1]
    turn = np.float32(0.25 * rise)
    up = np.float32(0.25 * since * rise)
    down = np.float32(0.25 * (size - since) * rise)
    for n in range(TICK):
        rising, falling = up + np.float32(n) * turn, down - np.float32(n) * turn
        x = rising if rising < falling else falling
        x = x if x > np.float32(0.0) else np.float32(0.0)
        x = x if x < np.float32(0.25) else np.float32(0.25)
        # The sine over a quarter turn, squared: a raised cosine over half a turn.
        s = sine(x)
        window[n] = s * s
    _read_evenly(flat, first, last, sincs, place + since * step, step, read, places, scratch[2])
    for n in range(np.uint64(TICK)):
        read[n] *= window[n]
    for n in range(np.uint64(TICK)):
        left[at + n] += a * read[n]
    for n in range(np.uint64(TICK)):
        right[at + n] += b * read[n]


@kernel("f8[:, ::1], f4[::1], i8[::1], f8[::1], i8, f4[:, ::1], i8, i8, f4[:, ::1]", allocates=True)
def add_grains(
    grains: np.ndarray,
    flat: np.ndarray,
    starts: np.ndarray,
    ratios: np.ndarray,
    frames: int,
    sincs: np.ndarray,
    first: int,
    rate: int,
    out: np.ndarray,
) -> None:
    """Add grains to `out` ``[2, samples]``, which begins at the absolute sample `first`.

    `flat` to `frames` are one channel of a `caligo.material.pyramid.Pyramid`, `sincs` is
    `caligo.synthesis.drawing.SINCS`.
    """
    ticks = out.shape[1] // TICK
    left, right = out[0], out[1]
    places = np.empty((2, TICK), np.uint32)
    scratch = np.empty((3, TICK), np.float32)
    for g in range(grains.shape[0]):
        onset = grains[g, 0] * rate - first
        size = grains[g, 1] * rate
        speed = grains[g, 3]
        level, _ = level_for(abs(speed), ratios)
        ratio = ratios[level]
        begin = max(0, math.floor(onset / TICK))
        end = min(ticks, math.ceil((onset + size) / TICK))
        for k in range(begin, end):
            _tick_of_grain(
                flat,
                np.uint64(starts[level] - TAPS // 2 - 2),
                int(frames * ratio) + 3.0,
                sincs,
                grains[g, 2] * ratio,
                speed * ratio,
                first + k * TICK - grains[g, 0] * rate,
                size,
                2.0 / (grains[g, 4] * size),
                np.float32(grains[g, 5]),
                np.float32(grains[g, 6]),
                left,
                right,
                np.uint64(k * TICK),
                places,
                scratch,
            )
