"""The ensemble: three copies a third of a cycle apart, on a slow and a quick sway at once."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, register
from caligo.kernels import kernel
from caligo.movement.block import Block
from caligo.movement.periods import paced_parameter
from caligo.processing import shared
from caligo.processing.effect_lfo import EffectLFO
from caligo.processing.processor import Signal, State
from caligo.signal.delay_line import add_tap, ring_size
from caligo.signal.ticks import TICK

COPIES = 3
MIDDLE = 8.0
"""Milliseconds that the copies are late on average."""
DEEPEST = 4.0
QUICK_FRACTION = 0.12
"""How deep the quick sway is against the slow one (common practice)."""


@kernel("f4[:, ::1], f4[:, ::1], i8, f8[:, :, ::1], f8[::1]", allocates=True)
def _run(
    signal: np.ndarray,
    lines: np.ndarray,
    at: int,
    length: np.ndarray,
    mix: np.ndarray,
) -> None:
    """Thicken `signal` ``[2, samples]`` in place.

    Parameters
    ----------
    lines
        The channels' rings ``[2, size]``.
    length
        Samples that each copy is late on each channel, at every tick ``[2, COPIES, ticks + 1]``.
    mix
        Share of the copies at every tick ``[ticks + 1]``.
    """
    mask = lines.shape[1] - 1
    wet = np.empty(TICK, np.float32)
    gain = 1.0 / math.sqrt(COPIES)
    for k in range(len(mix) - 1):
        here = at + k * TICK
        for c in range(2):
            dry = signal[c, k * TICK : (k + 1) * TICK]
            for n in range(TICK):
                lines[c, (here & mask) + n] = dry[n]
            wet[:] = 0.0
            for i in range(COPIES):
                away, end = length[c, i, k], length[c, i, k + 1]
                add_tap(lines[c], here, away, (end - away) / TICK, gain, wet)
            for n in range(TICK):
                fraction = mix[k] + (mix[k + 1] - mix[k]) * n / TICK
                # Equal power: the copies are not the signal, so their powers add.
                direct = np.float32(math.sqrt(1.0 - fraction))
                dry[n] = direct * dry[n] + np.float32(math.sqrt(fraction)) * wet[n]


@register(
    Module(
        family="effect",
        kind="ensemble",
        name="Ensemble",
        help="Many players out of one: copies that are never in the same place.",
        category="Width",
        parameters=(
            shared.period("Length of the slow sway.", 1.7),
            paced_parameter(group="Movement"),
            shared.percent("depth", "Depth", "How far the copies stray.", 40.0, group="Movement"),
            shared.percent("shimmer", "Shimmer", "How much of a quick sway is in it.", 50.0,
                         group="Movement"),
            shared.percent("width", "Width", "How differently the sides stray.", 100.0,
                         group="Output"),
            shared.mix("Copies against the direct signal.", 70.0),
        ),
    )
)  # fmt: skip
class Ensemble(EffectLFO):
    """Six moving taps, as a function of time."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        longest = (MIDDLE + 2.0 * DEEPEST) / 1000.0
        return {"lines": np.zeros((2, ring_size(longest * self.rate)), np.float32)}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        depth, shimmer, width, mix = (
            self.trajectory(key).values(block.moments)[0] / 100.0
            for key in ("depth", "shimmer", "width", "mix")
        )
        slow = self.cycles(block)
        # The quick sway is no multiple of the slow one, so that they do not come round together.
        thirds = np.arange(COPIES)[None, :, None] / COPIES
        apart = np.array([0.0, 0.21])[:, None, None] * width
        sway = np.sin(2.0 * np.pi * (slow + thirds + apart))
        sway += (
            QUICK_FRACTION * shimmer * np.sin(2.0 * np.pi * (9.73 * slow + 2.0 * thirds - apart))
        )
        length = (MIDDLE + DEEPEST * depth * sway) * self.rate / 1000.0
        _run(signal, self.state["lines"], block.span.first * TICK, length, mix)

    def tail(self) -> float:
        """See `Processor.tail`."""
        return (MIDDLE + 2.0 * DEEPEST) / 1000.0
