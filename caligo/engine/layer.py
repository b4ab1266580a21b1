"""One layer: its voices through source, filters and envelope to a stereo stem."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import implementation
from caligo.document.sound import Layer, Sound
from caligo.effects.effect import Effect
from caligo.engine.voicing import Voicing, zone_gain
from caligo.filters.filter import Filter
from caligo.movement.block import TICK, Block, Span
from caligo.movement.chance import derive, text_seed
from caligo.movement.envelope import FADE_OUT, envelope_course, stage_bends, stage_seconds
from caligo.movement.notes import Floats
from caligo.movement.routes import Courses, Frame, Movement
from caligo.movement.voices import Voice, as_notes, pitch_course
from caligo.sources.source import Source

SILENT = -80.0
"""Levels at or below count as silence, in decibels."""


def gain(decibels: Floats) -> Floats:
    """Decibels to a factor; the bottom of a level's range is silence."""
    found: Floats = np.where(decibels <= SILENT, 0.0, 10.0 ** (decibels / 20.0))
    return found


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
        self, sound: Sound, layer: Layer, movement: Movement, voicing: Voicing, rate: int
    ) -> None:
        self.layer = layer
        self.rate = rate
        self._movement = movement
        self._transpose = int(12 * layer.number("octave") + layer.number("transpose"))
        path = layer.id
        self._source: Source = implementation("source", layer.source.kind)(
            layer.source,
            f"{path}.{layer.source.id}",
            movement,
            rate,
            derive(sound.seed, text_seed(path)),
        )
        self._filters: list[Filter] = [
            implementation("filter", part.kind)(part, f"{path}.{part.id}", movement, rate)
            for part in layer.filters
            if not part.bypass
        ]
        self._parallel = layer.text("arrangement") == "parallel" and len(self._filters) == 2
        self._blend = movement.track(f"{path}.blend")
        self.inserts: list[Effect] = [
            implementation("effect", part.kind)(part, f"{path}.{part.id}", movement, rate)
            for part in layer.inserts
            if not part.bypass
        ]
        self._bends = stage_bends(layer.envelope)
        self._sustain = float(gain(np.array(layer.envelope.number("sustain"))))
        self._states: dict[str, list[NDArray[np.float64]]] = {}
        self.play(voicing)

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices; those that go on keep what their filters remember."""
        self._voicing = voicing
        voices = voicing.voices
        stages = stage_seconds(self.layer.envelope, voicing.all, self._movement.setting.tempo)
        self._stages = stages
        self._starts = voicing.all.start
        cuts = np.array([v.cut for v in voices], dtype=np.float64)
        self._ends = np.minimum(voicing.all.start + voicing.all.length + stages[4], cuts + FADE_OUT)
        zones = np.array([zone_gain(self.layer, v) for v in voices], dtype=np.float64)
        softer = self.layer.envelope.number("velocity") * (1.0 - voicing.all.velocity)
        self._loudness = zones * 10.0 ** (-softer / 20.0)

    def _active(self, times: Floats) -> list[int]:
        mask = (self._starts < times[-1]) & (self._ends > times[0]) & (self._loudness > 0.0)
        return [int(i) for i in np.flatnonzero(mask)]

    def _gains(self, voices: list[Voice], rows: list[int], times: Floats) -> Floats:
        """Envelope, velocity, zone and stealing at every tick ``[voices, ticks + 1]``."""
        notes = as_notes(voices)
        out = np.empty((len(rows), len(times)))
        envelope_course(
            times, notes.start, notes.length, self._stages[:, rows], self._sustain, self._bends, out
        )
        out *= self._loudness[rows][:, None]
        for row, voice in enumerate(voices):
            if math.isfinite(voice.cut):
                out[row] *= np.clip(1.0 - (times - voice.cut) / FADE_OUT, 0.0, 1.0)
        return out

    def _filter(self, block: Block, signal: NDArray[np.float32]) -> None:
        states = [
            np.stack([self._states[v.name][i] for v in block.voices])
            for i in range(len(self._filters))
        ]
        if self._parallel:
            second = signal.copy()
            self._filters[0].process(block, signal, states[0])
            self._filters[1].process(block, second, states[1])
            share = self._blend.values(block.frame) / 100.0
            _blend(signal, second, share)
        else:
            for filter_, state in zip(self._filters, states, strict=True):
                filter_.process(block, signal, state)
        for row, voice in enumerate(block.voices):
            self._states[voice.name] = [state[row] for state in states]

    def render(self, span: Span) -> NDArray[np.float32]:
        """The layer's stem over `span` ``[2, samples]``."""
        out = np.zeros((2, span.samples), np.float32)
        times = span.times
        rows = self._active(times)
        voices = [self._voicing.voices[i] for i in rows]
        for voice in voices:
            if voice.name not in self._states:
                self._states[voice.name] = [np.zeros(f.state_shape) for f in self._filters]
        if voices:
            self._render_voices(span, times, rows, voices, out)
        alive = {v.name for v in voices}
        for name in [n for n in self._states if n not in alive]:
            del self._states[name]
        if self.inserts:
            frame = self._voicing.frame(times, as_notes([]))
            for effect in self.inserts:
                effect.process(span, frame, out)
        return out

    def _render_voices(
        self,
        span: Span,
        times: Floats,
        rows: list[int],
        voices: list[Voice],
        out: NDArray[np.float32],
    ) -> None:
        # Movement shared by all voices is computed once for all their histories.
        shared: dict[tuple[int, int], Courses] = {}

        def history(row: int, first: int, ticks: int) -> tuple[Frame, Floats]:
            earlier = Span(first, ticks, self.rate)
            courses = shared.setdefault((first, ticks), {})
            return self._voicing.history(voices[row], self._transpose, earlier, courses)

        frame = self._voicing.frame(times, as_notes(voices))
        pitch = pitch_course(voices, self._transpose, self._voicing.tuning, times)
        block = Block(span, voices, frame, pitch, history)
        signal = np.zeros((len(voices), 2, span.samples), np.float32)
        self._source.render(block, signal)
        for row, voice in enumerate(voices):
            # Before its first tick a voice is silent, or its filters would begin too early.
            wait = math.floor(voice.start * self.rate / TICK) - span.first
            if wait > 0:
                signal[row, :, : wait * TICK] = 0.0
        if self._filters:
            self._filter(block, signal)
        _sum_voices(signal, self._gains(voices, rows, times), out)

    def fading(self) -> float:
        """Seconds of pre-roll after which filters and inserts are as if they had always run."""
        filters = [f.memory(90.0) for f in self._filters]
        own = max(filters, default=0.0) if self._parallel else sum(filters)
        return own + sum(e.fading() for e in self.inserts)

    def forget(self) -> None:
        """Remember nothing, as before the first sound."""
        self._states = {}
        for effect in self.inserts:
            effect.memory = effect.silence()

    def memory(self) -> dict[str, Any]:
        """A copy of all that the layer remembers."""
        return {
            "source": (self.layer.source.kind, self._source.kept()),
            "states": {n: [s.copy() for s in states] for n, states in self._states.items()},
            "inserts": {
                e.path: (e.part.kind, {k: v.copy() for k, v in e.memory.items()})
                for e in self.inserts
            },
        }

    def recall(self, memory: dict[str, Any]) -> None:
        """Take over what another renderer of this layer remembered, where it still fits."""
        kind, kept = memory["source"]
        if kind == self.layer.source.kind:
            self._source.carry_on(kept)
        shapes = [f.state_shape for f in self._filters]
        for name, states in memory["states"].items():
            kept = [s.copy() for s in states]
            for i, shape in enumerate(shapes):
                if i >= len(kept):
                    kept.append(np.zeros(shape))
                elif kept[i].shape != shape:
                    kept[i] = np.zeros(shape)
            self._states[name] = kept[: len(shapes)]
        recall_effects(self.inserts, memory["inserts"])


def recall_effects(effects: list[Effect], memories: dict[str, Any]) -> None:
    """Give effects of the same address, kind and sizes what their predecessors remembered."""
    for effect in effects:
        kind, memory = memories.get(effect.path, (None, {}))
        if kind == effect.part.kind and all(
            memory[k].shape == v.shape for k, v in effect.memory.items()
        ):
            effect.memory = {k: v.copy() for k, v in memory.items()}


@njit(cache=True, nogil=True)
def _blend(first: np.ndarray, second: np.ndarray, share: np.ndarray) -> None:
    """From `first` to `second` ``[voices, 2, samples]`` by `share` ``[voices, ticks + 1]``."""
    for v in range(first.shape[0]):
        for k in range(share.shape[1] - 1):
            step = (share[v, k + 1] - share[v, k]) / TICK
            for c in range(2):
                for n in range(TICK):
                    i = k * TICK + n
                    x = share[v, k] + n * step
                    first[v, c, i] += x * (second[v, c, i] - first[v, c, i])
