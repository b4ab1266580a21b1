"""Reduction: fewer bits and fewer samples, whose steps and images are the point."""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, register
from caligo.document.sound import EffectPart
from caligo.kernels import kernel
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.ticks import TICK

FINEST = 16.0


@kernel("f4[:, ::1], f8[::1], f8[::1], f8[::1], f8[::1]")
def _run(
    signal: np.ndarray,
    counted: np.ndarray,
    bits: np.ndarray,
    mix: np.ndarray,
    held: np.ndarray,
) -> None:
    """Reduce `signal` ``[2, samples]`` in place.

    Parameters
    ----------
    counted
        How many samples have been taken since the start, at every tick ``[ticks + 1]``.
    bits, mix
        Bits and a fraction at every tick ``[ticks + 1]``.
    held
        The sample taken last, of either channel ``[2]``.
    """
    for k in range(len(bits) - 1):
        step = (counted[k + 1] - counted[k]) / TICK
        # A count of one a sample may round below it.
        each = step > 1.0 - 1e-9
        before = math.floor(counted[k])
        for n in range(TICK):
            i = k * TICK + n
            position = n / TICK
            # At the tick's end the next one's own count, so that none is lost between them.
            place = counted[k] + (n + 1) * step if n < TICK - 1 else counted[k + 1]
            taken = each or math.floor(place) > before
            before = math.floor(place)
            b = bits[k] + position * (bits[k + 1] - bits[k])
            m = mix[k] + position * (mix[k + 1] - mix[k])
            size = 2.0 ** (1.0 - b)
            for c in range(2):
                if taken:
                    held[c] = signal[c, i]
                # Steps with one at nothing, so that silence stays silent.
                stepped = size * math.floor(held[c] / size + 0.5)
                signal[c, i] += m * (stepped - signal[c, i])


@register(
    Module(
        family="effect",
        kind="reduction",
        name="Reduction",
        help="Fewer bits and fewer samples: steps, and images that mirror the spectrum.",
        category="Grit",
        parameters=(
            Parameter(
                "bits",
                "Bits",
                "How finely levels are told apart.",
                low=1.0,
                high=FINEST,
                default=8.0,
                moves=Moves.SHARED,
                group="Steps",
            ),
            shared.hertz(
                "samples",
                "Sample rate",
                "How often a sample is taken; from the rate of the sound on, each.",
                12_000.0,
                low=200.0,
                high=96_000.0,
                group="Steps",
            ),
            shared.mix("Reduced against whole signal."),
        ),
    )
)
class Reduction(Effect):
    """Samples taken at whole counts of a rate that may move, since the start of the cue."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._taken = movement.travel(f"{address}.samples", 1.0)

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"held": np.zeros(2)}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        bits, mix = (self.trajectory(key).values(block.moments)[0] for key in ("bits", "mix"))
        counted = self._taken.at(block.moments.of(self.cue))[0]
        _run(signal, counted, bits, mix / 100.0, self.state["held"])

    def tail(self) -> float:
        """See `Processor.tail`: the longest time between two samples."""
        return 1.0 / self.trajectory("samples").reach()[0]
