"""Evolution: how much a sound changes, and on which scale of time; neither fades nor beating."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal

from caligo.document.held import held_chord
from caligo.engine.render.offline import render_array
from caligo.measure.evolution import Evolution, EvolutionMeter
from tests.core.builders import RATE, plain_layer, plain_sound

SLOW = 12_000
"""Samples per second of what is made here: enough for the six octaves that are swept."""
NOISE = 0.1 * np.random.default_rng(1).standard_normal((2, 170 * SLOW))


def evolution(signal: np.ndarray, rate: int = SLOW) -> Evolution:
    """The evolution of a signal ``[2, samples]``."""
    meter = EvolutionMeter(rate)
    meter.add(signal.astype(np.float32))
    return meter.finish()


def swept(noise: np.ndarray, period: float) -> np.ndarray:
    """Noise through a low-pass that goes from 60 Hz up six octaves and back in `period` s.

    Thirteen Butterworth filters half an octave apart, each heard while the corner passes by it.
    """
    place = 6.0 + 6.0 * np.sin(2 * np.pi * np.arange(noise.shape[1]) / SLOW / period)
    out = np.zeros_like(noise)
    for number in range(13):
        sections = scipy.signal.butter(2, 60.0 * 2 ** (number / 2), fs=SLOW, output="sos")
        out += np.clip(1.0 - np.abs(place - number), 0, 1) * scipy.signal.sosfilt(sections, noise)
    return out


@pytest.mark.parametrize(
    ("period", "seconds", "tens", "minutes"),
    [(10.0, (6, 12), (0, 1), (0, 1)), (40.0, (1, 5), (6, 13), (0, 1)),
     (170.0, (0, 1), (2, 7), (6, 14))],
)  # fmt: skip
def test_evolution_tells_how_slowly_a_sound_moves(
    period: float, seconds: tuple[int, int], tens: tuple[int, int], minutes: tuple[int, int]
) -> None:
    """Noise swept over six octaves is found on the scale on which it moves, and on no longer."""
    found = evolution(swept(NOISE, period))
    for value, (low, high) in zip(
        (found.seconds, found.tens, found.minutes), (seconds, tens, minutes), strict=True
    ):
        assert low <= value <= high


def test_noise_fades_and_beating_are_no_evolution() -> None:
    faded = NOISE * 10.0 ** (-np.linspace(0.0, 3.0, NOISE.shape[1]))
    unison = render_array(
        plain_sound(plain_layer(table="saw", unison=7, detune=12)), held_chord("C2 G3 E4", 170.0)
    )
    for still, rate, most in ((NOISE, SLOW, 0.2), (faded, SLOW, 0.2), (unison, RATE, 1.2)):
        assert evolution(still, rate).most < most
