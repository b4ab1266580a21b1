"""The voices of a layer: source, modulation by other layers, filters and envelope."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import implementation
from caligo.document.sound import Layer, Sound
from caligo.engine.layers.cross_modulation import CrossModulation, named_modulators
from caligo.engine.layers.metering import Meter
from caligo.engine.layers.pitch import LayerPitch
from caligo.engine.layers.split_source import SplitSource
from caligo.engine.layers.voicing import Voicing
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive, text_seed
from caligo.movement.envelope import FADE_OUT, NoteEnvelope
from caligo.movement.moments import ModulatorValues, Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.movement.trajectory import GLIDE
from caligo.movement.zones import zone_gain
from caligo.processing.chain import build_chain
from caligo.processing.processor import State
from caligo.signal.channels import scale_channels
from caligo.signal.decibels import gain
from caligo.signal.gains import scale_waves, sum_voices
from caligo.signal.pan import balance
from caligo.signal.ticks import TICK, Span
from caligo.synthesis.source import VOICE_RMS, Source

Signal = NDArray[np.float32]

FULL = VOICE_RMS * math.sqrt(2.0)
"""The amplitude of a sine at level 0 dB, which modulates another layer fully."""


class LayerVoices:
    """Renders each voice of a layer on its own, before they are added up.

    Parameters
    ----------
    preview, meter
        See `caligo.engine.render.engine.Engine`.
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
        self._preview = preview
        self.meter = meter
        path = layer.id
        self._pitch = LayerPitch(path, movement)

        def make() -> Source:
            made: Source = implementation("source", layer.source.kind)(
                layer.source,
                f"{path}.{layer.source.id}",
                movement,
                rate,
                derive(sound.seed, text_seed(path)),
            )
            return made

        self._sources = SplitSource(make, workers)
        parallel = layer.text("arrangement") == "parallel"
        blend = movement.trajectory(f"{path}.blend") if parallel else None
        self.filters = build_chain(layer.filters, path, movement, rate, blend)
        self._others = {
            other.id: LayerVoices(sound, other, movement, voicing, rate, preview)
            for other in named_modulators(sound, layer)
        }
        self._modulation = CrossModulation(layer, list(self._others), movement, self._pitch, rate)
        envelope = f"{path}.{layer.envelope.id}"
        self._envelope = NoteEnvelope(movement, envelope, gain)
        self._softest = movement.trajectory(f"{envelope}.velocity")
        self._note_pan = movement.trajectory(f"{path}.note_pan")
        self._changed_at: float | None = None
        self.play(voicing)

    @property
    def source(self) -> Source:
        """The source; where several workers play it, one of theirs."""
        return self._sources.one

    @property
    def makes_offset(self) -> bool:
        """Whether direct current may come of what the voices pass through."""
        bent = any(slot.processor.makes_offset for slot in self.filters.slots)
        return self.source.makes_offset or self._modulation.acts or bent

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices; those that go on keep their filters' states."""
        self.voicing = voicing
        self._changed_at = None
        self._sources.play(voicing.voices)
        self._prepare()
        for other in self._others.values():
            other.play(voicing)

    def _prepare(self) -> None:
        """What of the voices does not change from block to block."""
        voicing, notes = self.voicing, self.voicing.all
        everything = voicing.moments(notes.start, notes)
        self._starts = notes.start
        cuts = np.array([v.cut for v in voicing.voices], dtype=np.float64)
        release = self._envelope.release(everything)
        self._ends = np.minimum(notes.start + notes.length + release, cuts + FADE_OUT)
        zones = np.array([zone_gain(self.layer, v) for v in voicing.voices], dtype=np.float64)
        softer = self._softest.at_starts(everything) * (1.0 - notes.velocity)
        self._loudness = zones * 10.0 ** (-softer / 20.0)

    def change(self, layer: Layer, bypass: dict[str, bool], at: float) -> None:
        """Take up edited numbers, and what is bypassed by address, from a moment on."""
        self.layer = layer
        self.filters.switch(bypass)
        self._modulation.change(layer)
        self._sources.prepare()
        if self._changed_at != at:
            self._loudness_before, self._changed_at = self._loudness, at
        ends = self._ends
        self._prepare()
        # A note whose release was shortened still sounds until it has faded.
        still = (ends > at) & (self._ends < at + GLIDE)
        self._ends[still] = np.minimum(ends[still], at + GLIDE)
        for other in self._others.values():
            other.change(other.layer, bypass, at)

    def active(self, times: Floats) -> list[int]:
        """The voices that sound between the first and the last of `times` ``[times]``."""
        mask = (self._starts < times[-1]) & (self._ends > times[0]) & (self._loudness > 0.0)
        return [int(i) for i in np.flatnonzero(mask)]

    def gains(self, rows: list[int], times: Floats) -> Floats:
        """Envelope, velocity, zone and stealing at every tick ``[voices, ticks + 1]``."""
        voices = [self.voicing.voices[i] for i in rows]
        out = self._envelope.values(self.voicing.moments(times, self.voicing.all.pick(rows)))
        # A note that starts on a tick rises over the next one, as from between two ticks it does.
        out[times[None, :] <= self._starts[rows][:, None]] = 0.0
        loudness = self._loudness[rows][:, None]
        if self._changed_at is not None and times[0] < self._changed_at + GLIDE:
            before = self._loudness_before[rows][:, None]
            fraction = np.clip((times - self._changed_at) / GLIDE, 0.0, 1.0)
            loudness = before + fraction * (loudness - before)
        out *= loudness
        for row, voice in enumerate(voices):
            if math.isfinite(voice.cut):
                out[row] *= np.clip(1.0 - (times - voice.cut) / FADE_OUT, 0.0, 1.0)
        return out

    def block(self, span: Span, rows: list[int]) -> SourceBlock:
        """What the source is given for a span."""
        voices = [self.voicing.voices[i] for i in rows]
        notes = self.voicing.all.pick(rows)
        # Movement shared by all voices is computed once for all their histories.
        shared: dict[tuple[int, int, int], ModulatorValues] = {}

        def history(row: int, first: int, ticks: int, stride: int = 1) -> tuple[Moments, Floats]:
            earlier = Span(first, ticks, self.rate)
            known = shared.setdefault((first, ticks, stride), {})
            times = np.ascontiguousarray(earlier.times[::stride])
            moments = self.voicing.moments(times, notes.row(row), known)
            return moments, self._pitch.values(self.voicing, [voices[row]], moments)

        moments = self.voicing.moments(span.times, notes)
        moving = self._pitch.moving
        parted = bool(self.filters.slots) and self.source.has_unfiltered
        return SourceBlock(
            span,
            voices,
            moments,
            self._pitch.values(self.voicing, voices, moments),
            history,
            steady=lambda row: voices[row].steady and not moving,
            highest=lambda row: self._pitch.highest(self.voicing, voices[row]),
            unfiltered=np.zeros((len(rows), 2, span.samples), np.float32) if parted else None,
            preview=self._preview,
        )

    def render(self, span: Span, rows: list[int]) -> tuple[Signal, Signal | None]:
        """The voices through the filters ``[voices, 2, samples]``, and what goes past them."""
        block = self.block(span, rows)
        signal = np.zeros((len(rows), 2, span.samples), np.float32)
        self._sources.render(block, signal, lambda some: self.block(span, [rows[i] for i in some]))
        for row, voice in enumerate(block.voices):
            # Before its first tick a voice is silent, or its filters would begin too early.
            wait = math.floor(voice.start * self.rate / TICK) - span.first
            if wait > 0:
                signal[row, :, : wait * TICK] = 0.0
                if block.unfiltered is not None:
                    block.unfiltered[row, :, : wait * TICK] = 0.0
        self._modulate(block, rows, signal)
        tap = None
        if self.meter is not None:
            tap = self._tap(self.meter, block, rows)
            tap(f"{self.layer.id}.{self.layer.source.id}", signal)
        self.filters.process(block, signal, tap=tap)
        if self._note_pan.acts:
            left, right = balance(self._note_pan.values(block.moments))
            for voices in (signal, block.unfiltered):
                for row, voice in enumerate([] if voices is None else voices):
                    scale_channels(voice, np.stack([left[row], right[row]]))
        return signal, block.unfiltered

    def _tap(
        self, meter: Meter, block: SourceBlock, rows: list[int]
    ) -> Callable[[str, Signal], None]:
        """Measures voices as they are heard: with their envelopes, added up."""
        gains = self.gains(rows, block.span.times)

        def tap(stage: str, signal: Signal) -> None:
            if meter.wants(stage):
                heard = np.zeros((2, block.span.samples), np.float32)
                sum_voices(signal, gains, heard)
                meter.add(stage, block.span, heard)

        return tap

    def _modulate(self, block: SourceBlock, rows: list[int], signal: Signal) -> None:
        """Phase and ring modulation of every voice."""
        heard: dict[str, Signal] = {}

        def modulator(layer: str) -> Signal:
            if layer not in heard:
                heard[layer] = self._others[layer].as_modulator(block.span, rows)
            return heard[layer]

        self._modulation.process(block, self.voicing, signal, modulator)

    def as_modulator(self, span: Span, rows: list[int]) -> Signal:
        """The voices as waves that modulate another layer's ``[voices, samples]``."""
        signal, past = self.render(span, rows)
        mono: Signal = signal.mean(axis=1)
        if past is not None:
            mono += past.mean(axis=1)
        gains = self.gains(rows, span.times)
        scale_waves(mono, gains / FULL)
        return mono

    def tail(self) -> float:
        """Seconds of preroll after which the voices are as if they had always run."""
        own = self.filters.tail() + self._modulation.tail()
        others = [other.tail() for other in self._others.values()]
        return self.source.tail() + own + max(others, default=0.0)

    def latency(self) -> int:
        """Samples by which the voices are late."""
        return self._modulation.latency()

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        self.filters.reset()
        self._modulation.reset()
        for other in self._others.values():
            other.reset()

    def save_state(self) -> State:
        """A copy of the state."""
        return {
            "source": (self.layer.source.kind, self._sources.save_state()),
            "filters": self.filters.save_state(),
            "modulation": self._modulation.save_state(),
            "others": {name: other.save_state() for name, other in self._others.items()},
        }

    def restore_state(self, state: State) -> None:
        """Take over the state of other voices of this layer, where it still fits."""
        kind, source = state["source"]
        if kind == self.layer.source.kind:
            self._sources.restore_state(source)
        self.filters.restore_state(state["filters"])
        self._modulation.restore_state(state["modulation"])
        for name, other in self._others.items():
            if name in state["others"]:
                other.restore_state(state["others"][name])
