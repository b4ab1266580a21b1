"""The compressor: what is louder than its threshold is turned down."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Kind, Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart
from caligo.kernels import kernel
from caligo.movement.block import Block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.aligned import zeros
from caligo.signal.dynamics import (
    PEAKS,
    REACH,
    compress,
    followed_peaks,
    fractions_a_sample,
    smoothed,
    turn_down,
)
from caligo.signal.matched import HIGHPASS, sections_of
from caligo.signal.one_tick import give_tick, take_tick
from caligo.signal.sections import run_sections
from caligo.signal.state_variable import BUTTERWORTH_2
from caligo.signal.ticks import TICK

LOWEST = 20.0
VALUES = ("threshold", "ratio", "knee", "make_up", "mix", "attack", "release")
"""The numbers that stand in the rows of what the kernel is given, in order."""


@kernel(
    "f4[:, ::1], f4[:, ::1], f8[:, ::1], f8[::1], f4[:, ::1], f4[:, ::1], f4[:, ::1], "
    "f4[:, ::1], f8[:, ::1]"
)
def _run(
    signal: np.ndarray,
    heard: np.ndarray,
    values: np.ndarray,
    gain: np.ndarray,
    before: np.ndarray,
    weights: np.ndarray,
    tick: np.ndarray,
    workspace: np.ndarray,
    scratch: np.ndarray,
) -> None:
    """Turn `signal` ``[2, samples]`` down in place by how loud `heard` ``[2, samples]`` is.

    Parameters
    ----------
    values
        Threshold, slope, knee and make-up in dB, the mix, and the fractions of the way that are
        gone in a sample, up and down, at every tick ``[7, ticks + 1]``.
    gain
        The follower's state ``[2]``.
    before, weights
        See `followed_peaks`.
    tick, workspace, scratch
        Scratch memory for what happens in a tick, ``[2, TICK]``, as `followed_peaks` wants it, and
        ``[2, TICK]``.
    """
    threshold, slope, knee, made, mix = values[0], values[1], values[2], values[3], values[4]
    rise, fall, level, taken = values[5], values[6], scratch[0], scratch[1]
    for k in range(values.shape[1] - 1):
        ends = slice(k, k + 2)
        take_tick(heard, k, tick)
        followed_peaks(tick, weights, before, workspace, level)
        compress(level, threshold[ends], slope[ends], knee[ends], taken)
        smoothed(taken, rise[k], fall[k], gain)
        take_tick(signal, k, tick)
        turn_down(tick, taken, made[ends], mix[ends])
        give_tick(tick, signal, k)


@register(
    Module(
        family="effect",
        kind="compressor",
        name="Compressor",
        help="Turns down what is louder than a threshold; it may listen to another signal.",
        category="Level",
        parameters=(
            shared.level("threshold", "Threshold", "Level from which on it acts.", -24.0,
                         low=-60.0, high=0.0, group="Level"),
            Parameter("ratio", "Ratio", "How many decibels more become one decibel more.",
                      low=1.0, high=20.0, default=3.0, scale=Scale.LOGARITHMIC,
                      moves=Moves.SHARED, group="Level"),
            Parameter("knee", "Knee", "Over how many decibels it sets in.", unit="dB", high=24.0,
                      default=6.0, moves=Moves.SHARED, group="Level"),
            shared.level("make_up", "Make-up", "Level given back.", 0.0, low=-24.0, high=24.0,
                         group="Level"),
            shared.milliseconds("attack", "Attack", "How soon it acts.", 20.0, low=0.1,
                                high=500.0, logarithmic=True, group="Time"),
            shared.milliseconds("release", "Release", "How soon it lets go.", 250.0, low=10.0,
                                high=5_000.0, logarithmic=True, group="Time"),
            Parameter("side", "Listens to", "Another signal that turns this one down.",
                      default="", kind=Kind.REFERENCE, of="signal", group="Side"),
            shared.hertz("side_cut", "Low cut of what it hears",
                         "Lows under this do not turn anything down.", LOWEST, high=500.0,
                         group="Side"),
            shared.mix("Compressed against whole signal."),
        ),
    )
)  # fmt: skip
class Compressor(Effect):
    """Both sides together, by the louder one."""

    has_sidechain = True

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._moved = self.bundle(*VALUES)
        self._tick, self._scratch = zeros((2, TICK)), zeros((2, TICK), float)
        self._workspace = zeros((3, REACH + TICK))

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {
            "gain": np.zeros(2),
            "cut": np.zeros((1, 2, 2)),
            "before": np.zeros((2, REACH), np.float32),
        }

    def _values(self, moments: Moments) -> Floats:
        """The values of `_run` at every tick ``[7, ticks + 1]``."""
        found = self._moved.values(moments)
        found[1] = 1.0 - 1.0 / found[1]
        found[4] /= 100.0
        found[5:] = fractions_a_sample(found[5:], self.rate)
        return found

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        heard = signal if sidechain is None else sidechain
        if self.trajectory("side_cut").reach()[1] > LOWEST:
            heard = heard.copy()
            cut = self.trajectory("side_cut").values(block.moments)[0]
            ones = np.ones_like(cut)[None]
            flat = np.full(1, 1.0 / BUTTERWORTH_2)
            sections = sections_of(HIGHPASS, cut[None], flat, self.rate)
            run_sections(heard[None], [sections], ones, self.state["cut"])
        values = block.moments.for_all_notes(id(self), self._values)
        _run(
            signal,
            heard,
            values,
            self.state["gain"],
            self.state["before"],
            PEAKS,
            self._tick,
            self._workspace,
            self._scratch,
        )

    def tail(self) -> float:
        """See `Processor.tail`: 60 dB taken are forgotten to a tenth of a decibel."""
        times = self.trajectory("attack").reach()[1] + self.trajectory("release").reach()[1]
        return 7.0 * times / 1000.0 + (
            0.5 if self.trajectory("side_cut").reach()[1] > LOWEST else 0
        )
