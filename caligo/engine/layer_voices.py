"""The voices of a layer: source, modulation by other layers, filters and envelope."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import implementation
from caligo.document.sound import Layer, Sound
from caligo.engine.between import LONGEST, MARGIN, named_modulators, ring, shift_phase, sine_at
from caligo.engine.levels import gain
from caligo.engine.voicing import Voicing, zone_gain
from caligo.filters.filter import Filter
from caligo.movement.block import TICK, Block, Span
from caligo.movement.chance import derive, text_seed
from caligo.movement.envelope import FADE_OUT, envelope_course, stage_bends, stage_seconds
from caligo.movement.notes import Floats
from caligo.movement.routes import Courses, Frame, Movement, Track
from caligo.movement.voices import Voice
from caligo.sources.source import VOICE_RMS, Source
from caligo.sources.turns import Turns

Signal = NDArray[np.float32]

FULL = VOICE_RMS * math.sqrt(2.0)
"""The amplitude of a sine at level 0 dB, which modulates another layer fully."""


class LayerVoices:
    """Renders each voice of a layer on its own, before they are added up."""

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
        self._rough = rough
        self._movement = movement
        self._transpose = int(12 * layer.number("octave") + layer.number("transpose"))
        self._drift = layer.number("drift")
        path = layer.id
        self.source: Source = implementation("source", layer.source.kind)(
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
        self._others = {
            other.id: LayerVoices(sound, other, movement, voicing, rate, rough)
            for other in named_modulators(sound, layer)
        }
        self._ring = movement.track(f"{path}.ring_amount")
        self._phase = movement.track(f"{path}.phase_depth")
        self._turns = Turns(None, rate)
        self._bends = stage_bends(layer.envelope)
        self._sustain = float(gain(np.array(layer.envelope.number("sustain"))))
        self._states: dict[str, list[NDArray[np.float64]]] = {}
        self._pasts: dict[str, Signal] = {}
        self.play(voicing)

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices; those that go on keep what their filters remember."""
        self.voicing = voicing
        voices = voicing.voices
        stages = stage_seconds(self.layer.envelope, voicing.all, self._movement.setting.tempo)
        self._stages = stages
        self._starts = voicing.all.start
        cuts = np.array([v.cut for v in voices], dtype=np.float64)
        self._ends = np.minimum(voicing.all.start + voicing.all.length + stages[4], cuts + FADE_OUT)
        zones = np.array([zone_gain(self.layer, v) for v in voices], dtype=np.float64)
        softer = self.layer.envelope.number("velocity") * (1.0 - voicing.all.velocity)
        self._loudness = zones * 10.0 ** (-softer / 20.0)
        for other in self._others.values():
            other.play(voicing)

    def active(self, times: Floats) -> list[int]:
        """The voices that sound between the first and the last of `times`."""
        mask = (self._starts < times[-1]) & (self._ends > times[0]) & (self._loudness > 0.0)
        return [int(i) for i in np.flatnonzero(mask)]

    def gains(self, rows: list[int], times: Floats) -> Floats:
        """Envelope, velocity, zone and stealing at every tick ``[voices, ticks + 1]``."""
        voices = [self.voicing.voices[i] for i in rows]
        notes = self.voicing.all.pick(rows)
        out = np.empty((len(rows), len(times)))
        envelope_course(
            times, notes.start, notes.length, self._stages[:, rows], self._sustain, self._bends, out
        )
        out *= self._loudness[rows][:, None]
        for row, voice in enumerate(voices):
            if math.isfinite(voice.cut):
                out[row] *= np.clip(1.0 - (times - voice.cut) / FADE_OUT, 0.0, 1.0)
        return out

    def block(self, span: Span, rows: list[int]) -> Block:
        """What the source is told of a span."""
        voices = [self.voicing.voices[i] for i in rows]
        notes = self.voicing.all.pick(rows)
        # Movement shared by all voices is computed once for all their histories.
        shared: dict[tuple[int, int, int], Courses] = {}

        def history(row: int, first: int, ticks: int, stride: int = 1) -> tuple[Frame, Floats]:
            earlier = Span(first, ticks, self.rate)
            courses = shared.setdefault((first, ticks, stride), {})
            times = earlier.times[::stride]
            return (
                self.voicing.frame(times, notes.row(row), courses),
                self._pitch([voices[row]], times),
            )

        times = span.times
        parted = bool(self._filters) and self.source.goes_past
        return Block(
            span,
            voices,
            self.voicing.frame(times, notes),
            self._pitch(voices, times),
            history,
            steady=lambda row: voices[row].steady and self._drift == 0.0,
            past=np.zeros((len(rows), 2, span.samples), np.float32) if parted else None,
            rough=self._rough,
        )

    def _pitch(self, voices: list[Voice], times: Floats) -> Floats:
        return self.voicing.pitch(voices, self._transpose, self._drift, times)

    def render(self, span: Span, rows: list[int]) -> tuple[Signal, Signal | None]:
        """The voices through the filters ``[voices, 2, samples]``, and what goes past them."""
        block = self.block(span, rows)
        signal = np.zeros((len(rows), 2, span.samples), np.float32)
        self.source.render(block, signal)
        for row, voice in enumerate(block.voices):
            # Before its first tick a voice is silent, or its filters would begin too early.
            wait = math.floor(voice.start * self.rate / TICK) - span.first
            if wait > 0:
                signal[row, :, : wait * TICK] = 0.0
                if block.past is not None:
                    block.past[row, :, : wait * TICK] = 0.0
        self._modulate(block, rows, signal)
        if self._filters:
            self._filter(block, signal)
        self._forget_all_but({v.name for v in block.voices})
        return signal, block.past

    def _modulate(self, block: Block, rows: list[int], signal: Signal) -> None:
        """Phase and ring modulation of every voice."""
        heard: dict[str, Signal] = {}

        def by(way: str) -> Signal | None:
            kind = self.layer.text(f"{way}_by")
            if kind == "sine":
                return self._sines(block, self.layer.number(f"{way}_ratio"))
            other = self._others.get(self.layer.text(f"{way}_layer"))
            if kind != "layer" or other is None:
                return None
            if other.layer.id not in heard:
                heard[other.layer.id] = other.as_modulator(block.span, rows)
            return heard[other.layer.id]

        if _acts(self._phase):
            phase_by = by("phase")
            if phase_by is not None:
                self._shift(block, signal, phase_by)
        if _acts(self._ring):
            ring_by = by("ring")
            if ring_by is not None:
                amount = self._ring.values(block.frame) / 100.0
                for row in range(len(rows)):
                    ring(signal[row], ring_by[row], amount[row])

    def as_modulator(self, span: Span, rows: list[int]) -> Signal:
        """The voices as waves that modulate another layer's ``[voices, samples]``."""
        signal, past = self.render(span, rows)
        mono: Signal = signal.mean(axis=1)
        if past is not None:
            mono += past.mean(axis=1)
        gains = self.gains(rows, span.times)
        _apply(mono, gains / FULL)
        return mono

    def _sines(self, block: Block, ratio: float) -> Signal:
        steps = self._turns.steps(block.frame, block.pitch)
        out = np.zeros((len(block.voices), block.span.samples), np.float32)
        for row in range(len(block.voices)):
            sine_at(self._turns.over(block, row, steps[row]), ratio, out[row])
        return out

    def _shift(self, block: Block, signal: Signal, by: Signal) -> None:
        depth = self._phase.values(block.frame) / 360.0
        most = self._phase.reach()[1] / 360.0
        samples = self.rate * np.exp2(-block.pitch)
        for row, voice in enumerate(block.voices):
            lowest = min(key for _, key in voice.line) + self._transpose
            slowest = self.rate * 2.0 ** -self.voicing.tuning.octaves(lowest)
            late = min(LONGEST, math.ceil(most * slowest * 1.1) + 1)
            past = self._pasts.get(voice.name)
            if past is None or past.shape[1] != 2 * (late + MARGIN):
                past = np.zeros((2, 2 * (late + MARGIN)), np.float32)
            self._pasts[voice.name] = past
            shift_phase(past, signal[row], by[row], depth[row] * samples[row], late)

    def _filter(self, block: Block, signal: Signal) -> None:
        for voice in block.voices:
            if voice.name not in self._states:
                self._states[voice.name] = [np.zeros(f.state_shape) for f in self._filters]
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

    def _forget_all_but(self, alive: set[str]) -> None:
        self._states = {k: v for k, v in self._states.items() if k in alive}
        self._pasts = {k: v for k, v in self._pasts.items() if k in alive}

    def fading(self) -> float:
        """Seconds of pre-roll after which the voices are as if they had always run."""
        filters = [f.memory(90.0) for f in self._filters]
        own = max(filters, default=0.0) if self._parallel else sum(filters)
        if _acts(self._phase) and self.layer.text("phase_by") != "none":
            own += 2.0 * (LONGEST + MARGIN) / self.rate
        others = [other.fading() for other in self._others.values()]
        return self.source.fading() + own + max(others, default=0.0)

    def forget(self) -> None:
        """Remember nothing, as before the first sound."""
        self._states, self._pasts = {}, {}
        for other in self._others.values():
            other.forget()

    def memory(self) -> dict[str, Any]:
        """A copy of all that the voices remember."""
        return {
            "source": (self.layer.source.kind, self.source.kept()),
            "turns": self._turns.added.copy(),
            "states": {n: [s.copy() for s in states] for n, states in self._states.items()},
            "pasts": {n: past.copy() for n, past in self._pasts.items()},
            "others": {name: other.memory() for name, other in self._others.items()},
        }

    def recall(self, memory: dict[str, Any]) -> None:
        """Take over what other voices of this layer remembered, where it still fits."""
        kind, kept = memory["source"]
        if kind == self.layer.source.kind:
            self.source.carry_on(kept)
        self._turns.added.take(memory["turns"])
        self._pasts = {n: past.copy() for n, past in memory["pasts"].items()}
        for name, other in self._others.items():
            if name in memory["others"]:
                other.recall(memory["others"][name])
        shapes = [f.state_shape for f in self._filters]
        for name, states in memory["states"].items():
            fitting = [s.copy() for s in states][: len(shapes)]
            for i, shape in enumerate(shapes):
                if i >= len(fitting):
                    fitting.append(np.zeros(shape))
                elif fitting[i].shape != shape:
                    fitting[i] = np.zeros(shape)
            self._states[name] = fitting


def _acts(track: Track) -> bool:
    """Whether a depth that does nothing at 0 does something."""
    return track.moved or track.base != 0.0


@njit(cache=True, nogil=True)
def _apply(mono: np.ndarray, gains: np.ndarray) -> None:
    """Multiply waves ``[voices, samples]`` by gains at every tick ``[voices, ticks + 1]``."""
    for v in range(mono.shape[0]):
        for k in range(gains.shape[1] - 1):
            step = (gains[v, k + 1] - gains[v, k]) / TICK
            for n in range(TICK):
                mono[v, k * TICK + n] *= np.float32(gains[v, k] + n * step)


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
