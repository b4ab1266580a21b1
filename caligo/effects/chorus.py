"""The chorus: copies on slowly moving delays, three to each side."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.effects.delay_line import between
from caligo.effects.effect import Effect, Memory
from caligo.movement.block import TICK, Span
from caligo.movement.routes import Frame

TAPS = 3
TAP_GAIN = 0.62
"""Three taps add up in power: 1 / sqrt(3), a little above for what they cancel."""
POINT_BITS = 20
POINT = 1 << POINT_BITS
LONGEST_DELAY = 40.0
DEEPEST = 20.0


@njit(cache=True, nogil=True)
def _add_stretch(line: np.ndarray, over: int, over_step: int, gain: float, out: np.ndarray) -> None:
    """The part of `add_tap` for which the tap stays between the same two samples."""
    for n in range(len(out)):
        f = np.float32(np.int32(over + n * over_step)) * np.float32(1.0 / POINT)
        out[n] += np.float32(gain) * between(line[n + 3], line[n + 2], line[n + 1], line[n], f)


@njit(cache=True, nogil=True)
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
        count = TICK - n
        if away_step > 0:
            count = min(count, (POINT - over + away_step - 1) // away_step)
        elif away_step < 0:
            count = min(count, over // -away_step + 1)
        start = (at + n - whole - 2) & mask
        count = min(count, max(1, len(line) - 3 - start))
        if start + 3 + count <= len(line):
            _add_stretch(line[start:], over, away_step, gain, out[n : n + count])
        else:
            f = np.float32(over) * np.float32(1.0 / POINT)
            out[n] += np.float32(gain) * between(
                line[(start + 3) & mask],
                line[(start + 2) & mask],
                line[(start + 1) & mask],
                line[start],
                f,
            )
        n += count
        away += count * away_step


@njit(cache=True, nogil=True)
def _run(
    signal: np.ndarray,
    lines: np.ndarray,
    low: np.ndarray,
    first: int,
    rate: float,
    period: float,
    delay: np.ndarray,
    depth: np.ndarray,
    mix: np.ndarray,
    cut: float,
) -> None:
    """Chorus `signal` ``[2, samples]`` in place; `delay` and `depth` in ms ``[ticks + 1]``."""
    mask = lines.shape[1] - 1
    wet = np.empty(TICK, np.float32)
    for k in range(len(delay) - 1):
        at = (first + k) * TICK
        for c in range(2):
            dry = signal[c, k * TICK : (k + 1) * TICK]
            here = at & mask
            # What is below the cut stays out of the chorus: lows keep their place.
            below = low[c]
            for n in range(TICK):
                below += cut * (dry[n] - below)
                wet[n] = below
                lines[c, here + n] = dry[n] - wet[n]
            low[c] = below
            for tap in range(TAPS):
                length = np.empty(2)
                for end in range(2):
                    turn = (first + k + end) * TICK / rate / period + tap / TAPS + 0.25 * c
                    # Each tap sways at a pace of its own, so that they never line up.
                    sway = math.sin(2.0 * math.pi * turn * (1.0 + 0.37 * tap))
                    milliseconds = delay[k + end] * (1.0 + 0.23 * tap)
                    milliseconds += depth[k + end] * (1.0 + sway)
                    length[end] = milliseconds * rate / 1000.0
                add_tap(lines[c], at, length[0], (length[1] - length[0]) / TICK, TAP_GAIN, wet)
            for n in range(TICK):
                share = np.float32(mix[k] + (mix[k + 1] - mix[k]) * n / TICK)
                dry[n] += share * (wet[n] - dry[n])


@register(
    Module(
        family="effect",
        kind="chorus",
        name="Chorus",
        help="Widens and thickens with copies on slowly moving delays.",
        parameters=(
            Parameter(
                "period",
                "Period",
                "Length of one sway of the delays.",
                unit="s",
                low=0.2,
                high=60.0,
                default=3.0,
                scale=Scale.LOGARITHMIC,
            ),
            Parameter(
                "delay",
                "Delay",
                "Shortest delay of the copies.",
                unit="ms",
                low=2.0,
                high=LONGEST_DELAY,
                default=9.0,
                moves=Moves.SHARED,
            ),
            Parameter(
                "depth",
                "Depth",
                "How far the delays sway.",
                unit="ms",
                high=DEEPEST,
                default=2.0,
                moves=Moves.SHARED,
            ),
            Parameter(
                "low_cut",
                "Low cut",
                "What lies below stays out of the chorus.",
                unit="Hz",
                low=20.0,
                high=1_000.0,
                default=140.0,
                scale=Scale.LOGARITHMIC,
            ),
            Parameter(
                "mix",
                "Mix",
                "Copies against the direct signal.",
                unit="%",
                high=100.0,
                default=50.0,
                moves=Moves.SHARED,
            ),
        ),
    )
)
class Chorus(Effect):
    """Three moving taps for each channel."""

    def silence(self) -> Memory:
        """See `Effect.silence`."""
        longest = (LONGEST_DELAY * (1 + 0.23 * (TAPS - 1)) + 2 * DEEPEST) / 1000.0
        size = 1 << math.ceil(math.log2(longest * self.rate + TICK))
        return {"lines": np.zeros((2, size), np.float32), "low": np.zeros(2)}

    def process(self, span: Span, frame: Frame, signal: NDArray[np.float32]) -> None:
        """See `Effect.process`."""
        keys = ("delay", "depth", "mix")
        delay, depth, mix = (
            self.movement.track(f"{self.path}.{key}").values(frame)[0] for key in keys
        )
        cut = 1.0 - math.exp(-2.0 * math.pi * self.part.number("low_cut") / self.rate)
        _run(
            signal,
            self.memory["lines"],
            self.memory["low"],
            span.first,
            float(self.rate),
            self.part.number("period"),
            delay,
            depth,
            mix / 100.0,
            cut,
        )

    def fading(self) -> float:
        """See `Effect.fading`."""
        slowest = 6.9 / (2.0 * math.pi * self.part.number("low_cut"))
        return 0.11 + slowest
