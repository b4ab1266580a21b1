"""The micro-delay: one channel a few milliseconds behind the other, for width."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, register
from caligo.kernels import kernel
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.delay_line import read_moving, ring_size
from caligo.signal.ticks import TICK

LONGEST = 50.0
BASE = 2
"""Latency of both channels at least, so that the line can be read between samples."""


@kernel("f4[:, ::1], f4[:, ::1], i8, f8[:, ::1], f8[::1]", allocates=True)
def _run(
    signal: np.ndarray, lines: np.ndarray, at: int, length: np.ndarray, mix: np.ndarray
) -> None:
    """Delay `signal` ``[2, samples]`` in place.

    `lines` are the channels' rings ``[2, size]``; `length` samples ``[2, ticks + 1]`` and `mix` the
    fraction of what is delayed ``[ticks + 1]`` at every tick.
    """
    mask = lines.shape[1] - 1
    late, direct = np.empty(TICK, np.float32), np.empty(TICK, np.float32)
    for k in range(len(mix) - 1):
        here = at + k * TICK
        for c in range(2):
            tick = signal[c, k * TICK : (k + 1) * TICK]
            for n in range(TICK):
                lines[c, (here & mask) + n] = tick[n]
            away, end = length[c, k], length[c, k + 1]
            read_moving(lines[c], here, away, (end - away) / TICK, late)
            read_moving(lines[c], here, float(BASE), 0.0, direct)
            for n in range(TICK):
                fraction = np.float32(mix[k] + (mix[k + 1] - mix[k]) * n / TICK)
                tick[n] = direct[n] + fraction * (late[n] - direct[n])


@register(
    Module(
        family="effect",
        kind="micro_delay",
        name="Micro-delay",
        help="Holds either side back by milliseconds, which widens.",
        category="Width",
        parameters=(
            shared.milliseconds("left", "Left", "How late the left side is.", 0.0, low=0.0,
                                high=LONGEST),
            shared.milliseconds("right", "Right", "How late the right side is.", 16.0, low=0.0,
                                high=LONGEST),
            shared.mix("Delayed against direct signal."),
        ),
    )
)  # fmt: skip
class MicroDelay(Effect):
    """A line for each channel, bent in pitch where its time moves."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"lines": np.zeros((2, ring_size(LONGEST / 1000.0 * self.rate + BASE)), np.float32)}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        left, right, mix = (
            self.trajectory(key).values(block.moments)[0] for key in ("left", "right", "mix")
        )
        length = BASE + np.stack([left, right]) * self.rate / 1000.0
        _run(signal, self.state["lines"], block.span.first * TICK, length, mix / 100.0)

    def tail(self) -> float:
        """See `Processor.tail`."""
        return LONGEST / 1000.0

    def latency(self) -> int:
        """See `Processor.latency`."""
        return BASE
