"""Convolution: what comes in, answered by a recording as by a room."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import soxr

from caligo.catalogue import Choice, Kind, Module, Parameter, register
from caligo.document.sound import EffectPart
from caligo.material.store import current
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.partitions import PARTITION, Response, convolve, initial_state, spectra_of
from caligo.processing.processor import Signal, State
from caligo.signal.fixed_delay import FixedDelay
from caligo.signal.gains import crossfade, scale_stereo
from caligo.signal.ticks import REFERENCE_RATE, TICK

LONGEST = 12.0
FADE = 0.01
"""Seconds in which a trimmed recording begins and ends."""
LEAST_FRACTION = 0.01
"""The least fraction of the response's energy whose lack is made up for, see `Block.heard_from`."""


@lru_cache(maxsize=8)
def response_of(
    key: str,
    signature: str,
    rate: int,
    start: float,
    length: float,
    reverse: bool,
    decay: float,
) -> Response | None:
    """A stretch of a recording in partitions, or None if it is missing.

    `signature` tells one state of the recording from another (`Shelf.signature`); `start` and
    `length` are seconds, `decay` decibels by which its end is lower. Its energy is one at
    `REFERENCE_RATE`, so that noise comes out as loud as it went in; at other rates it is what gives
    each hertz as much.
    """
    recording = current().recording(key)
    if recording is None:
        return None
    first = min(int(start * recording.rate), max(0, recording.frames - 64))
    last = min(recording.frames, first + max(64, int(length * recording.rate)))
    samples = np.array(recording.samples[:, first:last], np.float32)
    if len(samples) == 1:
        samples = np.repeat(samples, 2, axis=0)
    if recording.rate != rate:
        samples = np.ascontiguousarray(soxr.resample(samples.T, recording.rate, rate).T)
    if reverse:
        samples = samples[:, ::-1].copy()
    count = samples.shape[1]
    samples *= 10.0 ** (-decay / 20.0 * np.arange(count) / count).astype(np.float32)
    fade = min(count // 2, int(FADE * rate))
    ramp = (0.5 - 0.5 * np.cos(np.pi * (np.arange(fade) + 0.5) / fade)).astype(np.float32)
    if first > 0 or reverse:
        samples[:, :fade] *= ramp
    samples[:, count - fade :] *= ramp[::-1]
    energy = float(np.square(samples, dtype=np.float64).sum() / 2.0)
    if energy > 0.0:
        samples *= np.float32(np.sqrt(REFERENCE_RATE / rate / energy))
    return spectra_of(samples)


@register(
    Module(
        family="effect",
        kind="convolution",
        name="Convolution",
        help="Answers by a recording: a space, or any other sound that everything is smeared by.",
        category="Space",
        parameters=(
            Parameter("recording", "Recording", "What answers.", default="",
                      kind=Kind.REFERENCE, of="recording", group="Response"),
            Parameter("start", "Start", "Where in the recording the response begins.", unit="s",
                      high=60.0, default=0.0, group="Response"),
            Parameter("length", "Length", "How much of it is used.", unit="s", low=0.05,
                      high=LONGEST, default=3.0, group="Response"),
            Parameter("reverse", "Reversed", "Whether it is heard from its end.", default=False,
                      kind=Kind.SWITCH, group="Response"),
            Parameter("decay", "Decay", "How much lower its end is made.", unit="dB", high=80.0,
                      default=12.0, group="Response"),
            Parameter("law", "Level law", "Whether the answer is levelled by all of it, or by "
                      "all but its last moments, which makes short and reversed ones louder.",
                      default="whole", kind=Kind.CHOICE, group="Output",
                      choices=(Choice("whole", "Whole answer"),
                               Choice("early", "Without its end"))),
            shared.level("level", "Level", "Of the answer.", 0.0, low=-36.0, high=12.0,
                         group="Output"),
            shared.mix("Answer against the direct signal.", 40.0),
        ),
    )
)  # fmt: skip
class Convolution(Effect):
    """A response in partitions; the direct signal waits as long as the answer does."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        key = part.text("recording")
        self._law, self._length = part.text("law"), part.number("length")
        self._response = (
            response_of(
                key,
                current().signature(key),
                rate,
                part.number("start"),
                self._length,
                part.switch("reverse"),
                part.number("decay"),
            )
            if key
            else None
        )
        self._waiting = FixedDelay(PARTITION)
        super().__init__(part, address, movement, rate)

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        made = {} if self._response is None else initial_state(self._response)
        return {**made, "direct": np.zeros((2, PARTITION), np.float32)}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        level, mix = (self.trajectory(key).values(block.moments)[0] for key in ("level", "mix"))
        answer = None
        if self._response is not None:
            kept = {key: array for key, array in self.state.items() if key != "direct"}
            answer = convolve(signal, block.span.first * TICK, self._response, kept)
        self._waiting.held = self.state["direct"]
        self._waiting.process(signal)
        self.state["direct"] = self._waiting.held
        if answer is not None and self._response is not None:
            known = block.heard if self._law == "whole" else min(self._length, block.heard)
            heard = known * self.rate - PARTITION
            fraction = max(LEAST_FRACTION, self._response.fraction_heard(heard))
            scale_stereo(answer[None], 10.0 ** (level / 20.0) / math.sqrt(fraction))
            crossfade(signal[None], answer[None], mix[None] / 100.0)

    def tail(self) -> float:
        """See `Processor.tail`."""
        return self._length + 2.0 * PARTITION / self.rate

    def latency(self) -> int:
        """See `Processor.latency`."""
        return PARTITION
