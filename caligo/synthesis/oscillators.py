"""Oscillators that read cycles of a table: their phases in unison, and their waves."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import device, kernel
from caligo.signal.exponential import exp2_near
from caligo.signal.ticks import TICK

SHIFT_12, SHIFT_13, SHIFT_14, SHIFT_15 = (np.uint32(32 - bits) for bits in range(12, 16))
"""Bits of a phase that are behind the place, in cycles of 4,096 samples (`LENGTH`) to 32,768."""
ONE = np.uint64(1)
PIECE = 64
"""Ticks whose cycles are computed before they are added up."""
TURN = 4294967296.0
STEADY_SLOPE = 2.0**30 / (TURN * TICK * TICK)
"""The square term of the phase must fit into 31 bits for the quick kernel."""


@device
def _level_for(limits: np.ndarray, step: float) -> int:
    """The fullest level whose highest partial stays below half the sample rate."""
    for level in range(len(limits)):
        if limits[level] * step < 0.5:
            return level
    return len(limits) - 1


@kernel("f8[::1], f8, f8[::1], f8[::1], f8[::1], f8[:, ::1]")
def spread_phases(
    phase: np.ndarray,
    detune: float,
    offsets: np.ndarray,
    intervals: np.ndarray,
    starts: np.ndarray,
    at_ticks: np.ndarray,
) -> None:
    """Phases ``[oscillators, ticks]`` of detuned oscillators from a voice's cycles ``[ticks]``."""
    for o in range(len(offsets)):
        ratio = np.exp2((detune * offsets[o] + intervals[o]) / 1200.0)
        for k in range(len(phase)):
            p = starts[o] + phase[k] * ratio
            at_ticks[o, k] = p - math.floor(p)


@kernel("f8[::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[:, ::1], f8[:, ::1]", allocates=True)
def add_phases(
    phase: np.ndarray,
    step: np.ndarray,
    detune: np.ndarray,
    offsets: np.ndarray,
    intervals: np.ndarray,
    pace: np.ndarray,
    at_ticks: np.ndarray,
) -> None:
    """Add up each oscillator's phase where the detune moves; like `accumulate_phase`.

    `phase` ``[oscillators]`` is carried on; `detune` is in cents at every tick ``[ticks + 1]``,
    `offsets` the fraction of it that each oscillator takes, `intervals` their own distance from the
    voice in cents, `pace` how much faster each runs than it is tuned ``[oscillators, ticks + 1]``,
    or nothing, `at_ticks` ``[oscillators, ticks]``.
    """
    drifts = len(pace) > 0
    count, ticks = len(phase), len(step) - 1
    # Cycles in a tick without detune, whose ratio lies near 1.
    base = 0.5 * TICK * np.exp2(intervals / 1200.0)
    octaves = offsets / 1200.0
    cycles = np.empty((count, PIECE + 1))
    for first in range(0, ticks, PIECE):
        size = min(PIECE, ticks - first)
        steps, cents = step[first : first + size + 1], detune[first : first + size + 1]
        for o in range(count):
            own, turn, lean = cycles[o], base[o], octaves[o]
            for k in range(size + 1):
                own[k] = steps[k] * turn * exp2_near(cents[k] * lean)
            if drifts:
                faster = pace[o, first : first + size + 1]
                for k in range(size + 1):
                    own[k] *= 1.0 + faster[k]
        for k in range(size):
            if at_ticks.shape[1] > 0:
                for o in range(count):
                    at_ticks[o, first + k] = phase[o]
            for o in range(count):
                p = phase[o] + (cycles[o, k] + cycles[o, k + 1])
                phase[o] = p - np.floor(p)


@device(inline="always")
def _split(
    p: np.uint32,
    q: np.uint32,
    bend: np.float32,
    shift: np.uint32,
    places: np.ndarray,
    scratch: np.ndarray,
) -> None:
    """Over a tick, the places in a cycle and the fractions behind them, in `scratch` ``[:TICK]``.

    A phase of 32 bits holds the place above `shift` bits, and the fraction below.
    """
    fraction = np.uint32((1 << shift) - 1)
    step = np.float32(1.0 / (1 << shift))
    for n in range(TICK):
        x = np.float32(n)
        turn = np.uint32(p + np.uint32(n) * q + np.uint32(np.int32(x * x * bend)))
        places[n] = np.uint32(turn >> shift)
        scratch[n] = np.float32(np.int32(turn & fraction)) * step


@device
def _tick(
    flat: np.ndarray,
    bits: int,
    first: np.uint64,
    second: np.uint64,
    p: np.uint32,
    q: np.uint32,
    bend: np.float32,
    blend: np.float32,
    blend_step: np.float32,
    gains: np.ndarray,
    left: np.ndarray,
    right: np.ndarray,
    at: np.uint64,
    places: np.ndarray,
    scratch: np.ndarray,
) -> None:
    """One oscillator over a tick, between the cycles that begin at ``flat[first]``, ``[second]``.

    It is added to ``left[at:]`` and ``right[at:]``. Cycles have 2**`bits` samples.

    `p` and `q` are phase and step in units of 2**-32 cycles, `bend` the square term in the same
    units; `gains` holds both gains and their steps ``[4]``. The work is split into short loops
    over `places` ``[TICK]`` and `scratch` ``[6 * TICK]``, for without that the compiler cannot
    tell the reads from the writes, and does not turn the arithmetic into vector instructions.
    """
    # A loop for each length: only a shift by a number that is known becomes a vector operation.
    if bits == 12:
        _split(p, q, bend, SHIFT_12, places, scratch)
    elif bits == 13:
        _split(p, q, bend, SHIFT_13, places, scratch)
    elif bits == 14:
        _split(p, q, bend, SHIFT_14, places, scratch)
    else:
        _split(p, q, bend, SHIFT_15, places, scratch)
    for n in range(TICK):
        i = first + np.uint64(places[n])
        j = second + np.uint64(places[n])
        scratch[TICK + n] = flat[i]
        scratch[2 * TICK + n] = flat[i + ONE]
        scratch[3 * TICK + n] = flat[j]
        scratch[4 * TICK + n] = flat[j + ONE]
    for n in range(TICK):
        f = scratch[n]
        a = scratch[TICK + n]
        a += f * (scratch[2 * TICK + n] - a)
        b = scratch[3 * TICK + n]
        b += f * (scratch[4 * TICK + n] - b)
        scratch[5 * TICK + n] = a + (blend + np.float32(n) * blend_step) * (b - a)
    g, g_step, h, h_step = gains[0], gains[1], gains[2], gains[3]
    for n in range(np.uint64(TICK)):
        left[at + n] += scratch[5 * TICK + n] * (g + np.float32(n) * g_step)
    for n in range(np.uint64(TICK)):
        right[at + n] += scratch[5 * TICK + n] * (h + np.float32(n) * h_step)


@device
def _quick_tick(
    flat: np.ndarray,
    start: int,
    length: int,
    frames: int,
    phase: float,
    step: float,
    slope: float,
    position: float,
    position_slope: float,
    gains: np.ndarray,
    out: np.ndarray,
    at: int,
) -> None:
    """Like `_tick` where pitch or position move too fast for it: across several cycles."""
    for n in range(TICK):
        x = phase + n * step + n * n * slope
        x = (x - math.floor(x)) * length
        i = int(x)
        f = np.float32(x - i)
        where = position + n * position_slope
        row = min(int(where), frames - 1)
        next_row = min(row + 1, frames - 1)
        here = start + row * (length + 1) + i
        there = start + next_row * (length + 1) + i
        a = flat[here]
        a += f * (flat[here + 1] - a)
        b = flat[there]
        b += f * (flat[there + 1] - b)
        a += np.float32(where - row) * (b - a)
        out[0, at + n] += a * (gains[0] + np.float32(n) * gains[1])
        out[1, at + n] += a * (gains[2] + np.float32(n) * gains[3])


@kernel(
    "f4[::1], i8[::1], i8[::1], i8, i8[::1], f8[:, ::1], f8[::1], f8[::1], f8[::1], f8[::1], "
    "f8[:, ::1], f8[::1], f8[:, ::1], f8[:, ::1], f4[:, ::1]",
    allocates=True,
)
def render_voice(
    flat: np.ndarray,
    bits: np.ndarray,
    starts: np.ndarray,
    frames: int,
    limits: np.ndarray,
    phases: np.ndarray,
    step: np.ndarray,
    detune: np.ndarray,
    offsets: np.ndarray,
    intervals: np.ndarray,
    pace: np.ndarray,
    position: np.ndarray,
    left: np.ndarray,
    right: np.ndarray,
    out: np.ndarray,
) -> None:
    """One voice's oscillators, added to `out` ``[2, samples]``.

    Parameters
    ----------
    flat, bits, starts, frames, limits
        A `caligo.synthesis.tables.Table`.
    phases
        Cycles at the start of every tick ``[oscillators, ticks]``.
    step, detune, position
        Cycles per sample, cents, and table frame at every tick ``[ticks + 1]``.
    pace
        How much faster each runs than it is tuned ``[oscillators, ticks + 1]``, or nothing.
    left, right
        Gains at every tick ``[oscillators, ticks + 1]``.
    """
    to_left, to_right = out[0], out[1]
    gains = np.empty(4, np.float32)
    places = np.empty(TICK, np.uint32)
    scratch = np.empty(6 * TICK, np.float32)
    for o in range(phases.shape[0]):
        ratio = np.exp2((detune[0] * offsets[o] + intervals[o]) / 1200.0)
        for k in range(phases.shape[1]):
            from_step = step[k] * ratio
            if detune[k + 1] != detune[k]:
                ratio = np.exp2((detune[k + 1] * offsets[o] + intervals[o]) / 1200.0)
            to_step = step[k + 1] * ratio
            if len(pace) > 0:
                from_step *= 1.0 + pace[o, k]
                to_step *= 1.0 + pace[o, k + 1]
            slope = (to_step - from_step) / (2 * TICK)
            first = min(int(position[k]), frames - 1)
            second = min(first + 1, frames - 1)
            position_slope = (position[k + 1] - position[k]) / TICK
            quick = not (first <= position[k + 1] <= first + 1 and abs(slope) < STEADY_SLOPE)
            level, to_level = _level_for(limits, from_step), _level_for(limits, to_step)
            # Where the pitch goes over to another level, the tick fades from one to the other.
            for at in range(min(level, to_level), max(level, to_level) + 1):
                if at not in (level, to_level):
                    continue
                begin = 1.0 if at == level else 0.0
                end = 1.0 if at == to_level else 0.0
                gains[0] = begin * left[o, k]
                gains[1] = (end * left[o, k + 1] - begin * left[o, k]) / TICK
                gains[2] = begin * right[o, k]
                gains[3] = (end * right[o, k + 1] - begin * right[o, k]) / TICK
                start, length = starts[at], 1 << bits[at]
                if quick:
                    _quick_tick(
                        flat,
                        start,
                        length,
                        frames,
                        phases[o, k],
                        from_step,
                        slope,
                        position[k],
                        position_slope,
                        gains,
                        out,
                        k * TICK,
                    )
                    continue
                _tick(
                    flat,
                    bits[at],
                    np.uint64(start + first * (length + 1)),
                    np.uint64(start + second * (length + 1)),
                    np.uint32(phases[o, k] * TURN),
                    np.uint32(from_step * TURN),
                    np.float32(slope * TURN),
                    np.float32(position[k] - first),
                    np.float32(position_slope),
                    gains,
                    to_left,
                    to_right,
                    np.uint64(k * TICK),
                    places,
                    scratch,
                )
