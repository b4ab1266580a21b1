"""Between layers: ring and phase modulation by a sine at a ratio, or by another layer's voices.

Ring modulation multiplies; phase modulation reads the voice earlier and later than now. For a
periodic wave of frequency f, a shift in time by p / f seconds is a shift in phase by p cycles, so
this is phase modulation in the textbook's sense for every kind of source.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import Layer, Sound
from caligo.engine.layers.pitch import LayerPitch
from caligo.engine.layers.voicing import Voicing
from caligo.movement.block import SourceBlock
from caligo.movement.movement import Movement
from caligo.processing.processor import State
from caligo.signal.fourfold import NEAR, NEAR_TAPS, doubled, state
from caligo.signal.modulating import (
    MARGIN,
    PHASE,
    PHASE_LATENCY,
    RING,
    RING_LATENCY,
    UP_LATENCY,
    ring,
    shift_phase,
    sine_at,
)
from caligo.signal.oversampling import FAR, FAR_TAPS, RAISING_EVEN, RAISING_ODD, REACH, raised
from caligo.synthesis.phases import Phases, left_of

Signal = NDArray[np.float32]
Modulator = Callable[[str], Signal]
"""Another layer's voices as waves ``[voices, samples]``, by that layer's id."""

FACTORS = {"ring": RING, "phase": PHASE}
"""The ways in which a layer is modulated, and the multiple of the sample rate that each needs."""
LONGEST = 4096
"""Samples by which a phase-modulated voice may be late: 85 ms at 48 kHz."""


def named_modulators(sound: Sound, layer: Layer) -> list[Layer]:
    """The layers that modulate `layer`, not counting muted ones, nor what modulates those."""
    by_id = {other.id: other for other in sound.layers}
    named = [
        layer.text(f"{modulation}_layer")
        for modulation in ("ring", "phase")
        if layer.text(f"{modulation}_by") == "layer"
    ]
    found = [by_id[name] for name in dict.fromkeys(named) if name in by_id]
    return [other for other in found if not other.mute]


def all_modulators(sound: Sound, layer: Layer) -> list[Layer]:
    """Every layer that `layer` depends on, through any number of others."""
    found: list[Layer] = []
    waiting = named_modulators(sound, layer)
    while waiting:
        other = waiting.pop()
        if other not in found:
            found.append(other)
            waiting += named_modulators(sound, other)
    return found


class CrossModulation:
    """Phase modulation of a layer's voices, then ring modulation.

    Parameters
    ----------
    layer
        The layer that is modulated.
    others
        The ids of the layers that modulate it: those that are not muted.
    """

    def __init__(
        self,
        layer: Layer,
        others: Sequence[str],
        movement: Movement,
        pitch: LayerPitch,
        rate: int,
    ) -> None:
        self._layer = layer
        self._rate = rate
        self._pitch = pitch
        self._ring = movement.trajectory(f"{layer.id}.ring_amount")
        self._phase = movement.trajectory(f"{layer.id}.phase_depth")
        self._kinds = {
            modulation: kind
            for modulation in FACTORS
            if (kind := layer.text(f"{modulation}_by")) == "sine"
            or (kind == "layer" and layer.text(f"{modulation}_layer") in others)
        }
        self._sines = {
            modulation: Phases(None, rate, movement.trajectory(f"{layer.id}.{modulation}_ratio"))
            for modulation, kind in self._kinds.items()
            if kind == "sine"
        }
        self._rings, self._shifts = "ring" in self._kinds, "phase" in self._kinds
        self._held: dict[str, dict[str, Signal]] = {}

    @property
    def acts(self) -> bool:
        """Whether the layer is modulated at all."""
        return bool(self._kinds)

    def latency(self) -> int:
        """Samples by which voices are late, however far they are modulated."""
        return RING_LATENCY * self._rings + PHASE_LATENCY * self._shifts

    def tail(self) -> float:
        """Seconds after which nothing is left of what came in."""
        longest = 2.0 * (LONGEST + MARGIN) * self._shifts
        return (longest + 2.0 * self.latency()) / self._rate

    def change(self, layer: Layer) -> None:
        """Take up edited numbers."""
        self._layer = layer

    def process(
        self, block: SourceBlock, voicing: Voicing, signal: Signal, modulator: Modulator
    ) -> None:
        """Modulate voices ``[voices, 2, samples]`` in place, and let what goes past them wait."""
        if not self._kinds:
            return
        names = block.streams
        self._held = {n: self._held.get(n) or self._initial(voicing, block, n) for n in names}
        if self._shifts:
            by = self._by("phase", block, modulator, self._phase.acts)
            self._shift(block, voicing, signal, by)
        if self._rings:
            by = self._by("ring", block, modulator, self._ring.acts)
            amount = self._ring.values(block.moments) / 100.0
            for row, name in enumerate(names):
                held = self._held[name]
                ring(
                    signal[row],
                    by[row],
                    amount[row],
                    RAISING_EVEN,
                    RAISING_ODD,
                    NEAR_TAPS,
                    held["ring_up"],
                    held["ring"],
                )
        if block.unfiltered is not None:
            for row, name in enumerate(names):
                wave = np.concatenate([self._held[name]["past"], block.unfiltered[row]], axis=1)
                block.unfiltered[row] = wave[:, : block.span.samples]
                self._held[name]["past"] = wave[:, block.span.samples :].copy()

    def _initial(self, voicing: Voicing, block: SourceBlock, name: str) -> dict[str, Signal]:
        """What is held of a voice that begins."""
        held: dict[str, Signal] = {"past": np.zeros((2, self.latency()), np.float32)}
        for modulation, kind in self._kinds.items():
            if kind == "sine":
                held[f"{modulation}_sine"] = np.zeros(UP_LATENCY[FACTORS[modulation]], np.float32)
            else:
                held[f"{modulation}_near"] = np.zeros(REACH - 1, np.float32)
                held[f"{modulation}_far"] = np.zeros(FAR - 1, np.float32)
        if self._rings:
            held["ring_up"] = np.zeros((2, REACH - 1), np.float32)
            held["ring"] = np.zeros((2, 2 * NEAR - 2), np.float32)
        if self._shifts:
            latency = self._latency(voicing, block, name)
            held["line"] = np.zeros((2, 2 * (PHASE * latency + MARGIN)), np.float32)
            held.update(state())
            held["up_near"] = np.zeros((2, REACH - 1), np.float32)
        return held

    def _by(self, modulation: str, block: SourceBlock, modulator: Modulator, acts: bool) -> Signal:
        """The modulating waves at the way's multiple of the rate ``[voices, factor * samples]``."""
        factor = FACTORS[modulation]
        out = np.zeros((len(block.voices), factor * block.span.samples), np.float32)
        if not acts:
            return out
        if self._kinds[modulation] == "sine":
            sine = self._sines[modulation]
            steps = sine.steps(block.moments, block.pitch)
            for row, name in enumerate(block.streams):
                cycles, left = sine.over(block, row, steps[row]), left_of(steps[row])
                sine_at(cycles, left, self._held[name][f"{modulation}_sine"], out[row])
            return out
        waves = modulator(self._layer.text(f"{modulation}_layer"))
        for row, name in enumerate(block.streams):
            held = self._held[name]
            wave = raised(waves[row], RAISING_EVEN, RAISING_ODD, held[f"{modulation}_near"])
            out[row] = (
                wave if factor == RING else doubled(wave, FAR_TAPS, held[f"{modulation}_far"])
            )
        return out

    def _latency(self, voicing: Voicing, block: SourceBlock, name: str) -> int:
        """Samples by which a voice must be late to be read as far ahead as it may be."""
        voice = block.voices[block.streams.index(name)]
        lowest = min(key for _, key in voice.line) + int(self._pitch.lowest())
        slowest: float = self._rate * 2.0 ** -voicing.tuning.octaves(lowest)
        most = self._phase.reach()[1] / 360.0
        return min(LONGEST, math.ceil(most * slowest * 1.1) + 1)

    def _shift(self, block: SourceBlock, voicing: Voicing, signal: Signal, by: Signal) -> None:
        depth = self._phase.values(block.moments) / 360.0
        samples = self._rate * np.exp2(-block.pitch)
        for row, name in enumerate(block.streams):
            held, latency = self._held[name], self._latency(voicing, block, name)
            size = 2 * (PHASE * latency + MARGIN)
            if held["line"].shape[1] != size:
                held["line"] = np.zeros((2, size), np.float32)
            shift_phase(
                held["line"],
                signal[row],
                by[row],
                depth[row] * samples[row],
                latency,
                RAISING_EVEN,
                RAISING_ODD,
                NEAR_TAPS,
                FAR_TAPS,
                held["up_near"],
                held["up_far"],
                held["waiting"],
                held["down_near"],
                held["down_far"],
            )

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        self._held = {}

    def save_state(self) -> State:
        """A copy of the state."""
        held = {n: {k: x.copy() for k, x in own.items()} for n, own in self._held.items()}
        cycles = {m: sine.accumulated.copy() for m, sine in self._sines.items()}
        return {"ways": self._kinds, "cycles": cycles, "held": held}

    def restore_state(self, state: State) -> None:
        """Take over the state of another modulation of this layer, where it still fits."""
        for modulation, cycles in state["cycles"].items():
            if modulation in self._sines:
                self._sines[modulation].accumulated.take(cycles)
        held = state["held"] if state["ways"] == self._kinds else {}
        self._held = {n: {k: x.copy() for k, x in own.items()} for n, own in held.items()}
