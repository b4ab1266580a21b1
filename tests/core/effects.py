"""An effect by itself, and a signal through it."""

from __future__ import annotations

from typing import Any

import numpy as np

from caligo.catalogue import implementation
from caligo.movement.block import stereo_block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import whole
from caligo.processing.effect import Effect
from caligo.signal.ticks import TICK, Span
from tests.core.builders import RATE, one_note, plain_layer, plain_sound


def effect(
    kind: str,
    *,
    rate: int = RATE,
    modulators: list[dict[str, Any]] | None = None,
    routes: list[dict[str, Any]] | None = None,
    lanes: list[dict[str, Any]] | None = None,
    chains: list[dict[str, Any]] | None = None,
    **params: Any,
) -> Effect:
    """An effect on the master, which may be moved: its address is ``master.fx``."""
    part: dict[str, Any] = {"id": "fx", "kind": kind, "params": params}
    if chains:
        part["chains"] = chains
    sound = plain_sound(
        plain_layer(),
        master={"effects": [part]},
        modulators=modulators or [],
        routes=routes or [],
        lanes=lanes or [],
    )
    movement = Movement(sound, one_note(69, 60.0))
    made: Effect = implementation("effect", kind)(
        sound.master.effects[0], "master.fx", movement, rate
    )
    return made


def through(fx: Effect, signal: np.ndarray, side: np.ndarray | None = None) -> np.ndarray:
    """`signal` ``[2, samples]`` through an effect, in blocks of half a second."""
    out = signal.astype(np.float32).copy()
    ticks = out.shape[1] // TICK
    note = whole(60.0)
    for first in range(0, ticks, 375):
        span = Span(first, min(375, ticks - first), fx.rate)
        block = stereo_block(span, Moments(span.times, note, note))
        here = slice(first * TICK, (first + span.ticks) * TICK)
        other = None if side is None else np.ascontiguousarray(side[:, here], np.float32)
        # As the engine gives them: each an array of its own. A cut one is compiled for once more.
        piece = out[None, :, here].copy()
        fx.process(block, piece, other)
        out[:, here] = piece[0]
    return out[:, : ticks * TICK]


def impulse(seconds: float, rate: int = RATE) -> np.ndarray:
    """A sample of 1 on both sides, and silence."""
    signal = np.zeros((2, int(seconds * rate) // TICK * TICK), np.float32)
    signal[:, 0] = 1.0
    return signal


def sine(hertz: float, seconds: float, peak: float = 1.0, rate: int = RATE) -> np.ndarray:
    """A sine on both sides ``[2, samples]``."""
    t = np.arange(int(seconds * rate) // TICK * TICK) / rate
    return np.repeat(peak * np.sin(2.0 * np.pi * hertz * t)[None], 2, axis=0).astype(np.float32)


def noise(seconds: float, level: float = 0.1, seed: int = 1, rate: int = RATE) -> np.ndarray:
    """White noise, different on both sides ``[2, samples]``."""
    count = int(seconds * rate) // TICK * TICK
    rng = np.random.default_rng(seed)
    return (level * rng.standard_normal((2, count))).astype(np.float32)


def pink_noise(seconds: float, level: float = 0.05, seed: int = 1, rate: int = RATE) -> np.ndarray:
    """Noise with as much energy in every octave, from 30 Hz on ``[2, samples]``."""
    count = 2 * round(seconds * rate / 2)
    spectrum = np.fft.rfft(np.random.default_rng(seed).standard_normal((2, count)), axis=1)
    hertz = np.fft.rfftfreq(count, 1.0 / rate)
    spectrum *= np.where(hertz >= 30.0, 1.0 / np.sqrt(np.maximum(hertz, 1.0)), 0.0)
    found = np.fft.irfft(spectrum, axis=1)
    return (level * found / found.std()).astype(np.float32)
