"""The limiter: nothing passes its ceiling in true peak, and nothing clicks."""

from __future__ import annotations

from caligo.catalogue import Module, Parameter, Scale, register
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.limiter import DELAY
from caligo.processing.limiter import Limiter as Ceiling
from caligo.processing.processor import Signal, State
from caligo.signal.gains import scale_stereo


@register(
    Module(
        family="effect",
        kind="limiter",
        name="Limiter",
        help="Lets no true peak pass its ceiling, and looks ahead for that.",
        category="Level",
        parameters=(
            shared.level("gain", "Gain", "Level ahead of the ceiling.", 6.0, low=-24.0, high=36.0),
            Parameter(
                "ceiling",
                "Ceiling",
                "Highest true peak behind it.",
                unit="dB",
                low=-36.0,
                high=0.0,
                default=-6.0,
                scale=Scale.DECIBEL,
            ),
        ),
    )
)
class Limiter(Effect):
    """The same limiter as at the end of the master, with a gain ahead of it."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        self._ceiling = Ceiling(self.part.number("ceiling"), self.rate)
        return dict(self._ceiling.state)

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        gain = self.trajectory("gain").values(block.moments)[0]
        scale_stereo(signal[None], 10.0 ** (gain / 20.0))
        self._ceiling.state = self.state
        self._ceiling.process(signal)

    def tail(self) -> float:
        """See `Processor.tail`."""
        return self._ceiling.tail()

    def latency(self) -> int:
        """See `Processor.latency`."""
        return DELAY
