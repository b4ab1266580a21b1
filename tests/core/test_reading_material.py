"""Reading recordings at any speed: nothing folds back, and nothing is mirrored between samples."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.engine.render.offline import render_array
from caligo.material.store import MaterialStore
from caligo.synthesis.drawing import GLIDING, level_for
from tests.core.builders import RATE, layer_of, one_note, plain_sound
from tests.core.test_sources_of_material import shelf, taken, zone
from tests.sweeps import spread

__all__ = ["shelf"]
HEARD = 20_000.0
KEPT = 16_000.0
"""What is transposed above this may be gone: copies hold no more."""


def transposed(kind: str, key: str, semitones: int, rate: int) -> np.ndarray:
    """A second of a recording, so many semitones higher than it is."""
    if kind == "grains":
        moving = "travel position_scatter size_scatter pitch_scatter pan_scatter"
        still = dict.fromkeys(moving.split(), 0)
        layer = layer_of(
            kind, recording=key, follow=False, density=8, size=0.8, position=10, **still
        )
    else:
        layer = layer_of(kind, follow=False)
        layer["source"]["items"] = [zone(key)]
    octaves, rest = divmod(semitones, 12)
    layer["params"] = {"octave": octaves, "transpose": rest}
    heard = render_array(plain_sound(layer), one_note(60, 1.6), rate=rate)[0]
    found: np.ndarray = heard[rate // 2 : rate * 3 // 2].astype(float)
    return found


def beside_the_tone(wave: np.ndarray, hertz: float, rate: int) -> float:
    """What is heard besides a tone, in dB under it; under full scale where it is too high."""
    power = np.abs(np.fft.rfft(wave * np.blackman(len(wave)))) ** 2
    bins = np.fft.rfftfreq(len(wave), 1.0 / rate)
    near = np.abs(bins - hertz) < 200.0
    others = power[~near & (bins > 20.0) & (bins < HEARD)].sum()
    tone = power[near].sum() if hertz < KEPT else (0.1 * len(wave) * 0.42 / 2.0) ** 2
    return float(10.0 * np.log10(others / tone + 1e-20))


@pytest.fixture
def tones(shelf: MaterialStore, tmp_path: Any) -> dict[float, str]:
    """Recordings of single tones, by their frequency."""
    t = np.arange(8 * RATE) / RATE
    return {
        hertz: taken(shelf, tmp_path, 0.5 * np.sin(2 * np.pi * hertz * t)[None], name=f"{hertz:g}")
        for hertz in (997.0, 5_021.0, 9_007.0, 17_011.0)
    }


@pytest.mark.parametrize(("kind", "rate"), spread(["sampler", "grains"], [44_100, 48_000, 96_000]))
def test_transposed_material_is_clean(kind: str, rate: int, tones: dict[float, str]) -> None:
    """At semitones between the copies of the material, where a pure tone stays pure."""
    for hertz, key in tones.items():
        for semitones in (-13, -5, 0, 1, 7, 11, 23, 26) if rate == RATE else (-5, 7, 23):
            there = hertz * 2.0 ** (semitones / 12.0)
            found = beside_the_tone(transposed(kind, key, semitones, rate), there, rate)
            assert found < -90.0, (hertz, semitones, found)


def test_a_copy_is_never_read_faster_than_sample_by_sample() -> None:
    ratios = 2.0 ** -np.array([0.0, 0.25, 0.5, 0.75, 1.0, 1.5, 2.0])
    before = 0.0
    for speed in np.geomspace(0.1, 4.0, 3_000):
        level, share = level_for.called(speed, ratios)
        assert ratios[level] * speed <= 1.0 + GLIDING + 1e-9
        assert 0.0 <= share <= 1.0
        # A glide goes on from copy to copy without a step.
        assert level + share - before < 0.06
        before = level + share
