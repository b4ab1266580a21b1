"""One layer: its voices added up and through its inserts, to a stereo stem."""

from __future__ import annotations

import itertools
import math

import numpy as np
from numpy.typing import NDArray

from caligo.document.signal_flow import sidechain_inputs
from caligo.document.sound import EffectPart, Layer, Sound
from caligo.engine.layers.metering import Meter
from caligo.engine.layers.voices import LayerVoices
from caligo.engine.layers.voicing import Voicing
from caligo.movement.block import stereo_block
from caligo.movement.movement import Movement
from caligo.processing.chain import Chain, build_chain
from caligo.processing.processor import State
from caligo.signal.gains import sum_voices
from caligo.signal.offset import SETTLED, STANDING, lose_offset
from caligo.signal.smoothing import one_pole
from caligo.signal.ticks import Span

Signal = NDArray[np.float32]


def own_inserts(layer: Layer) -> list[EffectPart]:
    """The inserts up to the first that listens to another signal: these belong to the stem.

    The others wait until that signal is there, so the mixer takes care of them.
    """
    return list(itertools.takewhile(lambda part: not sidechain_inputs([part]), layer.inserts))


class LayerRenderer:
    """Renders a layer's stem, before its level, pan and sends.

    Parameters
    ----------
    meter
        Where the levels behind its slots are gathered, if anybody wants them.
    workers
        How many play its voices at the same time.
    """

    def __init__(
        self,
        sound: Sound,
        layer: Layer,
        movement: Movement,
        voicing: Voicing,
        rate: int,
        preview: bool = False,
        meter: Meter | None = None,
        workers: int = 1,
    ) -> None:
        self.layer = layer
        self.rate = rate
        self.meter = meter
        self.voices = LayerVoices(sound, layer, movement, voicing, rate, preview, meter, workers)
        amount = movement.trajectory(f"{layer.id}.amount")
        self.inserts = build_chain(own_inserts(layer), layer.id, movement, rate, amount=amount)
        self.heard_from = -math.inf
        """See `Block.heard_from`."""
        self._standing = np.zeros(2)
        self._standing_fraction = one_pole(STANDING, rate)

    def measure_with(self, meter: Meter | None) -> None:
        """Let another meter have what comes out of slots from now on."""
        self.meter = self.voices.meter = meter

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices."""
        self.voices.play(voicing)

    def change(self, layer: Layer, bypass: dict[str, bool], at: float) -> None:
        """Take up edited numbers, and what is bypassed by address, from a moment on."""
        self.layer = layer
        self.voices.change(layer, bypass, at)
        self.inserts.switch(bypass)

    def render(self, span: Span) -> Signal:
        """The layer's stem over `span` ``[2, samples]``."""
        out = np.zeros((2, span.samples), np.float32)
        times = span.times
        rows = self.voices.active(times)
        if rows:
            signal, unfiltered = self.voices.render(span, rows)
            gains = self.voices.gains(rows, times)
            sum_voices(signal, gains, out)
            if unfiltered is not None:
                sum_voices(unfiltered, gains, out)
        if self.voices.makes_offset:
            lose_offset(out, self._standing_fraction, self._standing)
        meter = self.meter
        if meter is not None:
            meter.add(f"{self.layer.id}.{self.layer.envelope.id}", span, out)
        if self.inserts.slots:
            voicing = self.voices.voicing
            block = stereo_block(span, voicing.moments(times, voicing.none), self.heard_from)

            def tap(slot: str, heard: Signal) -> None:
                if meter is not None:
                    meter.add(slot, span, heard[0])

            self.inserts.process(block, out[None], tap=tap)
        return out

    def chains(self) -> tuple[Chain, Chain]:
        """Its filters, and its inserts."""
        return self.voices.filters, self.inserts

    def tail(self) -> float:
        """Seconds of preroll after which filters and inserts are as if they had always run."""
        settled = SETTLED if self.voices.makes_offset else 0.0
        return max(self.voices.tail(), settled) + self.inserts.tail()

    def latency(self) -> int:
        """Samples by which the stem is late."""
        return self.voices.latency() + self.inserts.latency()

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        self._standing[:] = 0.0
        self.voices.reset()
        self.inserts.reset()

    def save_state(self) -> State:
        """A copy of the state."""
        return {
            "voices": self.voices.save_state(),
            "standing": self._standing.copy(),
            "inserts": self.inserts.save_state(),
        }

    def restore_state(self, state: State) -> None:
        """Take over the state of another renderer of this layer, where it still fits."""
        self.voices.restore_state(state["voices"])
        self._standing[:] = state["standing"]
        self.inserts.restore_state(state["inserts"])
