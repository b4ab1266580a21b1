"""The voices of a layer: sources, filters and envelope."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import Layer, Sound
from caligo.engine.layers.cross_modulation import named_modulators
from caligo.engine.layers.metering import Meter
from caligo.engine.layers.pitch import LayerPitch
from caligo.engine.layers.source_input import SourceInput
from caligo.engine.layers.voicing import Voicing
from caligo.movement.block import SourceBlock
from caligo.movement.envelope import FADE_OUT, NoteEnvelope
from caligo.movement.moments import ModulatorValues, Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.movement.trajectory import GLIDE
from caligo.movement.voices import zone_gains
from caligo.processing.chain import build_chain
from caligo.processing.processor import State
from caligo.signal.channels import scale_channels
from caligo.signal.decibels import gain
from caligo.signal.gains import scale_waves, sum_voices
from caligo.signal.pan import balance
from caligo.signal.ticks import Span
from caligo.synthesis.source import VOICE_RMS, Source

Signal = NDArray[np.float32]
Tap = Callable[[str, Signal], None]

AROUND = -1
"""The entry of what goes around the filters."""
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
    voiced_as
        The layer whose voice mode counts: one that modulates another has a voice for each of its.
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
        voiced_as: Layer | None = None,
    ) -> None:
        self.layer = layer
        self._voiced_as = voiced_as or layer
        self.rate = rate
        self._preview = preview
        self.meter = meter
        path = layer.id
        self._pitch = LayerPitch(path, movement)

        parallel = layer.text("arrangement") == "parallel"
        blend = movement.trajectory(f"{path}.blend") if parallel else None
        self.filters = build_chain(layer.filters, path, movement, rate, blend)
        self._others = {
            other.id: LayerVoices(
                sound, other, movement, voicing, rate, preview, voiced_as=self._voiced_as
            )
            for other in named_modulators(sound, layer)
        }
        self.inputs = [
            SourceInput(sound, layer, part, movement, rate, list(self._others), workers)
            for part in layer.sources
        ]
        envelope = f"{path}.{layer.envelope.id}"
        self._envelope = NoteEnvelope(movement, envelope, gain)
        self._softest = movement.trajectory(f"{envelope}.velocity")
        self._note_pan = movement.trajectory(f"{path}.note_pan")
        self._changed_at: float | None = None
        self.play(voicing)

    @property
    def source(self) -> Source:
        """The first source; where several workers play it, one of theirs."""
        return self.inputs[0].source

    @property
    def makes_offset(self) -> bool:
        """Whether direct current may come of what the voices pass through."""
        bent = any(slot.processor.makes_offset for slot in self.filters.slots)
        return bent or any(one.makes_offset for one in self.inputs)

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices; those that go on keep their filters' states."""
        self.voicing = voicing.of(self._voiced_as)
        self._changed_at = None
        for one in self.inputs:
            one.play(self.voicing)
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
        zones = zone_gains(self.layer, voicing.voices)
        softer = self._softest.at_starts(everything) * (1.0 - notes.velocity)
        self._loudness = zones * 10.0 ** (-softer / 20.0)

    def change(self, layer: Layer, bypass: dict[str, bool], at: float) -> None:
        """Take up edited numbers, and what is bypassed by address, from a moment on."""
        self.layer = layer
        self.filters.switch(bypass)
        for one in self.inputs:
            one.change(layer)
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

    def block(
        self,
        span: Span,
        rows: list[int],
        of: SourceInput | None = None,
        like: SourceBlock | None = None,
    ) -> SourceBlock:
        """What the filters, or one of the sources, are given for a span.

        `like` is a block of the same voices, whose values need not be computed again.
        """
        pitch = self._pitch if of is None or of.part.octave == 0 else of.pitch
        voices = [self.voicing.voices[i] for i in rows]
        notes = self.voicing.all.pick(rows)
        # Movement shared by all voices is computed once for all their histories.
        shared: dict[tuple[int, int, int], ModulatorValues] = {}

        def history(row: int, first: int, ticks: int, stride: int = 1) -> tuple[Moments, Floats]:
            earlier = Span(first, ticks, self.rate)
            known = shared.setdefault((first, ticks, stride), {})
            times = np.ascontiguousarray(earlier.times[::stride])
            moments = self.voicing.moments(times, notes.row(row), known)
            return moments, pitch.values(self.voicing, [voices[row]], moments)

        moments = self.voicing.moments(span.times, notes) if like is None else like.moments
        known = like is not None and pitch is self._pitch
        moving = pitch.moving
        parted = of is not None and of.has_unfiltered and bool(self.filters.slots)
        return SourceBlock(
            span,
            voices,
            moments,
            like.pitch if like and known else pitch.values(self.voicing, voices, moments),
            history,
            steady=lambda row: voices[row].steady and not moving,
            highest=lambda row: pitch.highest(self.voicing, voices[row]),
            unfiltered=np.zeros((len(rows), 2, span.samples), np.float32) if parted else None,
            preview=self._preview,
        )

    def render(self, span: Span, rows: list[int]) -> tuple[Signal, Signal | None]:
        """The voices through the filters ``[voices, 2, samples]``, and what goes past them."""
        block = self.block(span, rows)
        tap = None if self.meter is None else self._tap(self.meter, block, rows)
        signal, entries, unfiltered = self._sources(block, rows, tap)
        self.filters.process(block, signal, tap=tap, entries=entries)
        if self._note_pan.acts:
            left, right = balance(self._note_pan.values(block.moments))
            for voices in (signal, unfiltered):
                for row, voice in enumerate([] if voices is None else voices):
                    scale_channels(voice, np.stack([left[row], right[row]]))
        return signal, unfiltered

    def _sources(
        self, whole: SourceBlock, rows: list[int], tap: Tap | None
    ) -> tuple[Signal, dict[int, Signal], Signal | None]:
        """All sources: what goes into all filters, into single ones, and around them.

        Each is ``[voices, 2, samples]``; the second is by the numbers of filters.
        """
        span = whole.span
        modulating: dict[str, Signal] = {}
        inputs: dict[int | None, Signal] = {}
        for one in self.inputs:
            played = one.played(rows)
            if not played:
                continue
            own = [rows.index(row) for row in played]

            def modulator(layer: str, own: list[int] = own) -> Signal:
                if layer not in modulating:
                    modulating[layer] = self._others[layer].as_modulator(span, rows)
                return modulating[layer] if len(own) == len(rows) else modulating[layer][own]

            def some(
                chosen: list[int], one: SourceInput = one, of: list[int] = played
            ) -> SourceBlock:
                return self.block(span, [of[i] for i in chosen], one)

            block = self.block(span, played, one, whole if played == rows else None)
            signal = one.render(block, played, some, modulator)
            if tap is not None:
                tap(one.address, self._of_all(signal, own, rows))
            self._add(inputs, self._entry(one), signal, own, rows)
            if block.unfiltered is not None:
                self._add(inputs, AROUND, block.unfiltered, own, rows)
        around = inputs.pop(AROUND, None)
        first = inputs.pop(None, None)
        if first is None:
            first = np.zeros((len(rows), 2, span.samples), np.float32)
        return first, {k: v for k, v in inputs.items() if k is not None}, around

    def _entry(self, one: SourceInput) -> int | None:
        """Where a source enters; around all filters, where the one that it names is not there."""
        if one.entry is None or not self.filters.slots:
            return None
        return one.entry if one.entry < len(self.filters.slots) else AROUND

    def _add(
        self,
        inputs: dict[int | None, Signal],
        entry: int | None,
        signal: Signal,
        own: list[int],
        rows: list[int],
    ) -> None:
        """Add some of the voices to what enters at one place."""
        if entry not in inputs:
            inputs[entry] = self._of_all(signal, own, rows)
        else:
            inputs[entry][own] += signal

    def _of_all(self, signal: Signal, own: list[int], rows: list[int]) -> Signal:
        """Some of the voices among all of them; the others are silent."""
        if len(own) == len(rows):
            return signal
        out = np.zeros((len(rows), *signal.shape[1:]), np.float32)
        out[own] = signal
        return out

    def _tap(self, meter: Meter, block: SourceBlock, rows: list[int]) -> Tap:
        """Measures voices as they are heard: with their envelopes, added up."""
        gains = self.gains(rows, block.span.times)

        def tap(slot: str, signal: Signal) -> None:
            if meter.wants(slot):
                heard = np.zeros((2, block.span.samples), np.float32)
                sum_voices(signal, gains, heard)
                meter.add(slot, block.span, heard)

        return tap

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
        sources = max(one.tail() for one in self.inputs)
        others = [other.tail() for other in self._others.values()]
        return sources + self.filters.tail() + max(others, default=0.0)

    def latency(self) -> int:
        """Samples by which the voices are late."""
        return self.inputs[0].latency()

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        self.filters.reset()
        for one in self.inputs:
            one.reset()
        for other in self._others.values():
            other.reset()

    def save_state(self) -> State:
        """A copy of the state."""
        return {
            "inputs": {one.address: one.save_state() for one in self.inputs},
            "filters": self.filters.save_state(),
            "others": {name: other.save_state() for name, other in self._others.items()},
        }

    def restore_state(self, state: State) -> None:
        """Take over the state of other voices of this layer, where it still fits."""
        for one in self.inputs:
            if one.address in state["inputs"]:
                one.restore_state(state["inputs"][one.address])
        self.filters.restore_state(state["filters"])
        for name, other in self._others.items():
            if name in state["others"]:
                other.restore_state(state["others"][name])
