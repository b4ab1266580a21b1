"""The chorus: copies on slowly moving delays, three to each channel."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart
from caligo.kernels import device, kernel
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats, whole
from caligo.movement.periods import paced_parameter
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.aligned import zeros
from caligo.signal.delay_line import add_tap
from caligo.signal.one_tick import give_tick, take_tick
from caligo.signal.silence import DEAD
from caligo.signal.smoothing import one_pole_at
from caligo.signal.ticks import TICK

TAPS = 3
GAINS = np.array([[0.525, 0.643, 0.643], [0.525, -0.643, -0.643]])
"""Of each tap on either channel ``[2, TAPS]``; they add up in power.

The first stands with the direct signal, and the others are against each other on the two channels.
So both channels together are as loud as ``|direct + first|`` and ``|second + third|`` apart,
whatever their phases: at half mix a tone cannot dip below ``0.707 (1 - 0.525)``, which is 9 dB.
"""
QUARTER = 0.5 * math.pi
LINEAR_GAIN = 1.0227
"""Gain of the copies at a linear crossfade: three taps of 0.62 each, which is what there was before
schema 7, have 4.6 % more power than `GAINS`."""
LONGEST_DELAY = 40.0
DEEPEST = 20.0


@device
def _length(tap: int, phase: float, delay: float, depth: float, rate: float) -> float:
    """Samples of a tap's delay; each sways at a pace of its own, so that they never line up."""
    turn = (phase + tap / TAPS) * (1.0 + 0.37 * tap)
    sway = depth * (1.0 + math.sin(2.0 * math.pi * turn))
    return (delay * (1.0 + 0.23 * tap) + sway) * rate / 1000.0


@kernel(
    "f4[:, ::1], f4[:, ::1], f8[::1], i8, f8, f8[::1], f8[::1], f8[::1], f8[::1], f8[::1], "
    "f8[::1], f4[:, :, ::1]"
)
def _run(
    signal: np.ndarray,
    lines: np.ndarray,
    low: np.ndarray,
    first: int,
    rate: float,
    phase: np.ndarray,
    delay: np.ndarray,
    depth: np.ndarray,
    direct: np.ndarray,
    copies: np.ndarray,
    cut: np.ndarray,
    scratch: np.ndarray,
) -> None:
    """Chorus `signal` ``[2, samples]`` in place.

    Parameters
    ----------
    phase
        Cycles of the sway at every tick ``[ticks + 1]``.
    delay, depth
        Milliseconds at every tick ``[ticks + 1]``.
    direct, copies
        Gains of the direct signal and of the copies at every tick ``[ticks + 1]``.
    cut
        The low cut's one-pole coefficient, at every tick or ``[1]``.
    scratch
        For a tick of the signal, of the copies and of what is below the cut ``[3, 2, TICK]``.
    """
    mask = lines.shape[1] - 1
    tick, wet, below = scratch[0], scratch[1], scratch[2]
    for k in range(len(delay) - 1):
        at = (first + k) * TICK
        here = np.uint64(at & mask)
        thinned = cut[k] if len(cut) > 1 else cut[0]
        take_tick(signal, k, tick)
        wet[:] = np.float32(0.0)
        # What is below the cut stays out of the chorus: lows keep their place. Both sides go in one
        # loop, so that the processor overlaps them.
        left, right, below_left, below_right = tick[0], tick[1], below[0], below[1]
        under, beneath = low[0], low[1]
        for n in range(TICK):
            under += thinned * (left[n] - under)
            beneath += thinned * (right[n] - beneath)
            below_left[n] = under
            below_right[n] = beneath
        low[0] = under if abs(under) > DEAD else 0.0
        low[1] = beneath if abs(beneath) > DEAD else 0.0
        for c in range(2):
            for n in range(np.uint64(TICK)):
                lines[c, here + n] = tick[c, n] - below[c, n]
        for tap in range(TAPS):
            length = _length(tap, phase[k], delay[k], depth[k], rate)
            to_length = _length(tap, phase[k + 1], delay[k + 1], depth[k + 1], rate)
            for c in range(2):
                step = (to_length - length) / TICK
                add_tap(lines[c], at, length, step, GAINS[c, tap], wet[c])
        direct_from, copies_from = np.float32(direct[k]), copies[k]
        direct_step = np.float32((direct[k + 1] - direct_from) / TICK)
        copies_step = np.float32((copies[k + 1] - copies_from) / TICK)
        for c in range(2):
            for n in range(np.uint64(TICK)):
                x = np.float32(np.int32(n))
                high = (direct_from + x * direct_step) * lines[c, here + n]
                high += (np.float32(copies_from) + x * copies_step) * wet[c, n]
                tick[c, n] = below[c, n] + high
        give_tick(tick, signal, k)


@register(
    Module(
        family="effect",
        kind="chorus",
        name="Chorus",
        help="Widens and thickens with copies on slowly moving delays.",
        category="Width",
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
                moves=Moves.SHARED,
                group="Movement",
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
                group="Movement",
            ),
            paced_parameter(group="Movement"),
            Parameter(
                "depth",
                "Depth",
                "How far the delays sway.",
                unit="ms",
                high=DEEPEST,
                default=2.0,
                moves=Moves.SHARED,
                group="Movement",
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
                moves=Moves.SHARED,
                group="Output",
            ),
            Parameter(
                "mix",
                "Mix",
                "Copies against the direct signal.",
                unit="%",
                high=100.0,
                default=50.0,
                moves=Moves.SHARED,
                group="Output",
            ),
            Parameter(
                "law",
                "Crossfade",
                "How the direct signal gives way to the copies: as loud everywhere, or softer in "
                "the middle.",
                default="power",
                kind=Kind.CHOICE,
                choices=(Choice("power", "Equal power"), Choice("linear", "Linear")),
                group="Output",
            ),
        ),
    )
)
class Chorus(Effect):
    """Three moving taps for each channel."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._period = self.trajectory("period")
        self._pace = movement.trajectory("sound.pace") if part.switch("paced") else None
        self._sway = movement.cycles(f"{address}.period", paced=self._pace is not None)
        self._linear = part.text("law") == "linear"
        self._scratch = zeros((3, 2, TICK))

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        longest = (LONGEST_DELAY * (1 + 0.23 * (TAPS - 1)) + 2 * DEEPEST) / 1000.0
        size = 1 << math.ceil(math.log2(longest * self.rate + TICK))
        return {"lines": np.zeros((2, size), np.float32), "low": np.zeros(2)}

    def _phase(self, block: Block) -> Floats:
        span, pace = block.span, self._pace
        if self._period.moved or (pace is not None and (pace.moved or pace.base != 100.0)):
            swayed: Floats = self._sway.at(block.moments.of(whole(0.0)))[0]
            return swayed
        samples = np.arange(span.first, span.first + span.ticks + 1) * TICK
        found: Floats = samples / float(span.rate) / self._period.base
        return found

    def _gains(self, mix: Floats) -> tuple[Floats, Floats]:
        """Gains of the direct signal and of the copies ``[ticks + 1]``, of a mix from 0 to 1."""
        if self._linear:
            return 1.0 - mix, LINEAR_GAIN * mix
        # At equal power, since copies have nothing to do with what they come from.
        return np.cos(QUARTER * mix), np.sin(QUARTER * mix)

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        delay, depth, mix = (
            self.trajectory(key).values(block.moments)[0] for key in ("delay", "depth", "mix")
        )
        _run(
            signal,
            self.state["lines"],
            self.state["low"],
            block.span.first,
            float(self.rate),
            self._phase(block),
            delay,
            depth,
            *self._gains(mix / 100.0),
            one_pole_at(self.trajectory("low_cut").compact(block.moments)[0], self.rate),
            self._scratch,
        )

    def tail(self) -> float:
        """See `Processor.tail`."""
        slowest = 6.9 / (2.0 * math.pi * self.trajectory("low_cut").reach()[0])
        return 0.11 + slowest
