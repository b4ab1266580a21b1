"""One layer: its voices added up and through its inserts, to a stereo stem."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import implementation
from caligo.document.sound import Layer, Sound
from caligo.effects.effect import Effect
from caligo.engine.layer_voices import LayerVoices
from caligo.engine.voicing import Voicing
from caligo.movement.block import TICK, Span
from caligo.movement.routes import Movement


@njit(cache=True, nogil=True)
def _sum_voices(signal: np.ndarray, gains: np.ndarray, out: np.ndarray) -> None:
    """Voices ``[voices, 2, samples]`` times gains ``[voices, ticks + 1]``, added to `out`."""
    for v in range(signal.shape[0]):
        for k in range(gains.shape[1] - 1):
            g = np.float32(gains[v, k])
            step = np.float32((gains[v, k + 1] - gains[v, k]) / TICK)
            if g == 0.0 and step == 0.0:
                continue
            for c in range(2):
                voice = signal[v, c, k * TICK : (k + 1) * TICK]
                to = out[c, k * TICK : (k + 1) * TICK]
                for n in range(TICK):
                    to[n] += voice[n] * (g + np.float32(n) * step)


class LayerRenderer:
    """Renders a layer's stem, before its level, pan and sends."""

    def __init__(
        self,
        sound: Sound,
        layer: Layer,
        movement: Movement,
        voicing: Voicing,
        rate: int,
        rough: bool = False,
    ) -> None:
        self.layer = layer
        self.rate = rate
        self.voices = LayerVoices(sound, layer, movement, voicing, rate, rough)
        self.inserts: list[Effect] = [
            implementation("effect", part.kind)(part, f"{layer.id}.{part.id}", movement, rate)
            for part in layer.inserts
            if not part.bypass
        ]

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices."""
        self.voices.play(voicing)

    def render(self, span: Span) -> NDArray[np.float32]:
        """The layer's stem over `span` ``[2, samples]``."""
        out = np.zeros((2, span.samples), np.float32)
        times = span.times
        rows = self.voices.active(times)
        if rows:
            signal, past = self.voices.render(span, rows)
            gains = self.voices.gains(rows, times)
            _sum_voices(signal, gains, out)
            if past is not None:
                _sum_voices(past, gains, out)
        if self.inserts:
            frame = self.voices.voicing.frame(times, self.voices.voicing.none)
            for effect in self.inserts:
                effect.process(span, frame, out)
        return out

    def fading(self) -> float:
        """Seconds of pre-roll after which filters and inserts are as if they had always run."""
        return self.voices.fading() + sum(e.fading() for e in self.inserts)

    def forget(self) -> None:
        """Remember nothing, as before the first sound."""
        self.voices.forget()
        for effect in self.inserts:
            effect.memory = effect.silence()

    def memory(self) -> dict[str, Any]:
        """A copy of all that the layer remembers."""
        return {
            "voices": self.voices.memory(),
            "inserts": {
                e.path: (e.part.kind, {k: v.copy() for k, v in e.memory.items()})
                for e in self.inserts
            },
        }

    def recall(self, memory: dict[str, Any]) -> None:
        """Take over what another renderer of this layer remembered, where it still fits."""
        self.voices.recall(memory["voices"])
        recall_effects(self.inserts, memory["inserts"])


def recall_effects(effects: list[Effect], memories: dict[str, Any]) -> None:
    """Give effects of the same address, kind and sizes what their predecessors remembered."""
    for effect in effects:
        kind, memory = memories.get(effect.path, (None, {}))
        if kind == effect.part.kind and all(
            memory[k].shape == v.shape for k, v in effect.memory.items()
        ):
            effect.memory = {k: v.copy() for k, v in memory.items()}
