"""The mixer: layers' stems through level, pan, sends, buses and master to the ceiling."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import implementation
from caligo.document.sound import Sound
from caligo.effects.effect import Effect
from caligo.engine.ceiling import Ceiling
from caligo.engine.layer import recall_effects
from caligo.engine.levels import gain
from caligo.engine.voicing import Voicing
from caligo.movement.block import TICK, Span
from caligo.movement.notes import Floats
from caligo.movement.routes import Movement

Signal = NDArray[np.float32]


@njit(cache=True, nogil=True)
def _add(signal: np.ndarray, left: np.ndarray, right: np.ndarray, out: np.ndarray) -> None:
    """Add `signal` ``[2, samples]`` to `out`, with gains at every tick ``[ticks + 1]``."""
    for k in range(len(left) - 1):
        for c in range(2):
            gains = left if c == 0 else right
            g = np.float32(gains[k])
            step = np.float32((gains[k + 1] - gains[k]) / TICK)
            for n in range(TICK):
                i = k * TICK + n
                out[c, i] += signal[c, i] * (g + np.float32(n) * step)


def balance(pan: Floats) -> tuple[Floats, Floats]:
    """Gains of left and right for a pan of -100 to 100 %; the centre leaves both as they are."""
    angle = (pan / 100.0 + 1.0) * (math.pi / 4.0)
    left = np.minimum(math.sqrt(2.0) * np.cos(angle), 1.0)
    right = np.minimum(math.sqrt(2.0) * np.sin(angle), 1.0)
    # At the ends the other side is silent, not only very soft.
    return np.where(pan >= 100.0, 0.0, left), np.where(pan <= -100.0, 0.0, right)


class Mixer:
    """Everything after the layers' stems."""

    def __init__(self, sound: Sound, movement: Movement, voicing: Voicing, rate: int) -> None:
        self._sound = sound
        self._movement = movement
        self._voicing = voicing

        def effects(owner: str, parts: Any) -> list[Effect]:
            return [
                implementation("effect", part.kind)(part, f"{owner}.{part.id}", movement, rate)
                for part in parts
                if not part.bypass
            ]

        self._buses = {bus.id: effects(bus.id, bus.effects) for bus in sound.buses}
        self._master = effects("master", sound.master.effects)
        self._ceiling = Ceiling(sound.master.number("ceiling"), rate)

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices."""
        self._voicing = voicing

    def process(self, span: Span, stems: dict[str, Signal]) -> Signal:
        """Mix stems to ``[2, samples]``, late by the ceiling's delay."""
        frame = self._voicing.frame(span.times, self._voicing.none)
        movement = self._movement

        def level(path: str) -> Floats:
            return gain(movement.track(path).values(frame)[0])

        master = np.zeros((2, span.samples), np.float32)
        into = {bus.id: np.zeros((2, span.samples), np.float32) for bus in self._sound.buses}
        for layer in self._sound.layers:
            stem = stems.get(layer.id)
            if stem is None:
                continue
            own = level(f"{layer.id}.level")
            left, right = balance(movement.track(f"{layer.id}.pan").values(frame)[0])
            _add(stem, own * left, own * right, master)
            for send in layer.sends:
                amount = own * level(f"{layer.id}.{send.id}.level")
                _add(stem, amount * left, amount * right, into[send.bus])
        for bus in self._sound.buses:
            for effect in self._buses[bus.id]:
                effect.process(span, frame, into[bus.id])
            back = level(f"{bus.id}.level")
            _add(into[bus.id], back, back, master)
        for effect in self._master:
            effect.process(span, frame, master)
        final = level("master.level")
        out = np.zeros((2, span.samples), np.float32)
        _add(master, final, final, out)
        self._ceiling.process(out)
        return out

    def _all_effects(self) -> list[Effect]:
        return [*(e for chain in self._buses.values() for e in chain), *self._master]

    def fading(self) -> float:
        """Seconds of pre-roll after which buses and master are as if they had always run."""
        buses = max((sum(e.fading() for e in chain) for chain in self._buses.values()), default=0.0)
        return buses + sum(e.fading() for e in self._master) + self._ceiling.fading()

    def forget(self) -> None:
        """Remember nothing, as before the first sound."""
        for effect in self._all_effects():
            effect.memory = effect.silence()
        self._ceiling.forget()

    def memory(self) -> dict[str, Any]:
        """A copy of all that buses and master remember."""
        return {
            "effects": {
                e.path: (e.part.kind, {k: v.copy() for k, v in e.memory.items()})
                for e in self._all_effects()
            },
            "ceiling": {k: v.copy() for k, v in self._ceiling.memory.items()},
        }

    def recall(self, memory: dict[str, Any]) -> None:
        """Take over what another mixer of this sound remembered, where it still fits."""
        recall_effects(self._all_effects(), memory["effects"])
        self._ceiling.memory = {k: v.copy() for k, v in memory["ceiling"].items()}
