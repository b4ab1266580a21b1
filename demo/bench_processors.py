"""Every filter and effect: milliseconds for a second of stereo audio; part of ``make bench``.

A filter is given what it works on, the voices of a chord: four stereo streams, whose cost is
reported for one. An effect is given one.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterator, Sequence
from typing import Any

import numpy as np
import scipy.signal
from numpy.typing import NDArray

from caligo.catalogue import Module, Moves, catalogue, implementation
from caligo.catalogue import module as catalogue_module
from caligo.document import Sound, read_sound
from caligo.document.held import held_chord
from caligo.engine.render.engine import DEFAULT_RATE
from caligo.movement.block import Block, stereo_block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import whole
from caligo.movement.voices import Voice, as_notes
from caligo.processing.processor import Processor
from caligo.signal.ticks import TICK, Span
from demo.build import by_name
from demo.timing import best

SECONDS = 4
BLOCK = 16_384
"""Samples at a time: arranging a block is not what is measured here."""
BLOCK_TICKS = BLOCK // TICK
WANTED = {
    "reverb": 4.0, "chorus": 2.0, "ladder": 2.0, "delay": 1.5, "phaser": 4.0, "compressor": 1.5,
    "saturation": 3.0,
}  # fmt: skip
"""Milliseconds at most, of those that have a target."""
ROUNDS = 20
RESPONSE = 4.0
"""Seconds of the response that convolution is measured with."""


def _moved(module: Module, params: dict[str, Any]) -> Sound:
    """A sound that holds the module with its first movable number moving."""
    if module.kind == "convolution":
        params = {"recording": by_name()["wind_slit"], "length": RESPONSE}
    part = {"id": "part", "kind": module.kind, "params": params}
    place = "filters" if module.family == "filter" else "inserts"
    first = next(p for p in module.parameters if p.moves is not Moves.NO)
    layer = {"id": "ground", "name": "Ground", place: [part],
             "source": {"id": "source", "kind": "wavetable"}}  # fmt: skip
    mover = {"id": "mover", "name": "Mover", "kind": "lfo"}
    route = {"id": "r", "from": "mover", "to": f"ground.part.{first.key}",
             "depth": 0.2 * first.depth_limit}  # fmt: skip
    return read_sound({"name": "Bench", "layers": [layer], "modulators": [mover],
                       "routes": [route]})  # fmt: skip


def _made(module: Module, params: dict[str, Any]) -> Processor:
    sound = _moved(module, params)
    parts = sound.layers[0].filters or sound.layers[0].inserts
    movement = Movement(sound, held_chord("C3", 60.0))
    made: Processor = implementation(module.family, module.kind)(
        parts[0], "ground.part", movement, DEFAULT_RATE
    )
    return made


def _noise(streams: int) -> NDArray[np.float32]:
    count = SECONDS * DEFAULT_RATE // BLOCK * BLOCK
    rng = np.random.default_rng(1)
    return (0.1 * rng.standard_normal((streams, 2, count))).astype(np.float32)


def _block(span: Span, voices: Sequence[Voice]) -> Block:
    """A block of a chord, or of one stream where there are no voices."""
    notes = as_notes(voices) if voices else whole(60.0)
    moments = Moments(span.times, notes, notes)
    if not voices:
        return stereo_block(span, moments)
    pitch = np.tile(notes.key[:, None] / 12.0 + 3.0, (1, span.ticks + 1))
    return Block(span, voices, moments, pitch)


def _seconds(processor: Processor, given: NDArray[np.float32], voices: Sequence[Voice]) -> float:
    """Of work for a second of audio of one stream, once all is compiled."""
    blocks = [
        (
            _block(Span(first, BLOCK_TICKS, DEFAULT_RATE), voices),
            # As the engine gives them: an array of its own for each block.
            given[:, :, first * TICK : (first + BLOCK_TICKS) * TICK].copy(),
        )
        for first in range(0, given.shape[2] // TICK, BLOCK_TICKS)
    ]
    began = time.perf_counter()
    for block, signal in blocks:
        processor.process(block, signal)
    return (time.perf_counter() - began) * DEFAULT_RATE / (len(given) * given.shape[2])


def _reference_costs(
    many: NDArray[np.float32], given: NDArray[np.float32]
) -> dict[str, Callable[[], float]]:
    """What scipy takes for a second of a stream, by the family or kind it is compared with."""
    sections = scipy.signal.butter(4, 800.0, fs=DEFAULT_RATE, output="sos")
    response = np.random.default_rng(2).standard_normal((2, int(RESPONSE * DEFAULT_RATE)))
    response = response.astype(np.float32)

    def filtered() -> float:
        taken = best(lambda: scipy.signal.sosfilt(sections, many, axis=2), times=1)
        return taken * DEFAULT_RATE / (many.size / 2)

    def convolved() -> float:
        taken = best(lambda: scipy.signal.oaconvolve(given[0], response, axes=1), times=1)
        return taken * DEFAULT_RATE / given.shape[2]

    return {"filter": filtered, "convolution": convolved}


def processor_costs() -> Iterator[tuple[str, str, str]]:
    """A line for each filter and effect: its name, its cost, and what is wanted.

    All are measured in turn, round after round, and the quickest of their rounds is reported: who
    else works at this machine takes from some of them, and never adds to any.
    """
    chord = [Voice(f"n{key}", key, 0.0, 60.0, 0.8, key, ((0.0, key),)) for key in (48, 55, 62, 69)]
    many, given = _noise(len(chord)), _noise(1)
    driven = catalogue_module("filter", "ladder")
    measured: dict[str, Callable[[], float]] = dict(_reference_costs(many, given))
    lines: list[tuple[str, Module, bool]] = []

    def cost_of(processor: Processor, voiced: bool) -> Callable[[], float]:
        streams, voices = (many, chord) if voiced else (given, [])
        return lambda: _seconds(processor, streams, voices)

    for module, params in [*((m, {}) for m in catalogue()), (driven, {"drive": 12.0})]:
        if module.family in ("filter", "effect"):
            name = f"{module.name}{', driven' if params else ''} ({module.family})"
            lines.append((name, module, not params))
            measured[name] = cost_of(_made(module, params), module.family == "filter")
    quickest = dict.fromkeys(measured, math.inf)
    for _ in range(ROUNDS):
        for name, measure in measured.items():
            quickest[name] = min(quickest[name], 1000.0 * measure())
    for name, module, usual in lines:
        beside = ""
        if module.family == "filter":
            beside = f", {quickest[name] / quickest['filter']:.1f} x scipy's sosfilt of 24 dB"
        elif module.kind == "convolution":
            times = quickest[name] / quickest["convolution"]
            beside = f", {times:.1f} x scipy's oaconvolve of {RESPONSE:.0f} s"
        wanted = f"at most {WANTED[module.kind]:.1f} ms" if usual and module.kind in WANTED else ""
        yield name, f"{quickest[name]:.2f} ms a second{beside}", wanted
