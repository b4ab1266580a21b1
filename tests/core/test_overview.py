"""A recording at a glance: outline and spectrogram over any stretch."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from caligo.material.overview import FLOOR, HIGHEST, LOWEST, outline, spectrogram

RATE = 44_100


def sine(hertz: float, seconds: float = 1.0, level: float = 1.0) -> np.ndarray:
    t = np.arange(round(seconds * RATE)) / RATE
    return (level * np.sin(2 * np.pi * hertz * t)).astype(np.float32)[None]


def row_of(hertz: float, rows: int) -> int:
    return int(np.log(hertz / LOWEST) / np.log(HIGHEST / LOWEST) * rows)


def test_an_outline_holds_every_peak() -> None:
    wave = np.zeros((2, RATE), np.float32)
    wave[0, 12_345] = 0.8
    wave[1, 40_000] = -0.6
    low, high = outline(wave, RATE, 0.0, 1.0, 100)
    assert high.max() == pytest.approx(0.8)
    assert high.argmax() == 12_345 * 100 // RATE
    assert low.min() == pytest.approx(-0.6)
    assert low.argmin() == 40_000 * 100 // RATE


def test_an_outline_looks_closer_at_a_stretch() -> None:
    wave = np.linspace(0.0, 1.0, RATE, dtype=np.float32)[None]
    low, high = outline(wave, RATE, 0.25, 0.5, 50)
    assert low[0] == pytest.approx(0.25, abs=0.001)
    assert high[-1] == pytest.approx(0.5, abs=0.001)
    assert (np.diff(high) > 0).all()


@settings(max_examples=60)
@given(st.floats(-5, 5), st.floats(-5, 5), st.integers(1, 400))
def test_any_stretch_has_an_outline(start: float, end: float, columns: int) -> None:
    low, high = outline(sine(300.0), RATE, start, end, columns)
    assert len(low) == len(high) == columns
    assert (low <= high).all()


@pytest.mark.parametrize("hertz", [55.0, 440.0, 6000.0])
@pytest.mark.parametrize("seconds", [1.0, 0.1])
def test_a_sine_lies_in_its_row_however_close_the_look(hertz: float, seconds: float) -> None:
    levels = spectrogram(sine(hertz), RATE, 0.4, 0.4 + seconds, 20, 128)
    tolerance = 1 if hertz > 100 or seconds == 1.0 else 12  # short stretches tell lows less well
    assert abs(int(levels[:, 10].argmax()) - row_of(hertz, 128)) <= tolerance


def test_levels_are_decibels_under_full_scale() -> None:
    """A sine of amplitude 1 is 255; each 20 dB less is a fixed step darker."""
    loud, soft = (
        int(spectrogram(sine(1000.0, level=level), RATE, 0.0, 1.0, 8, 128)[:, 4].max())
        for level in (1.0, 0.1)
    )
    assert loud >= 253
    assert loud - soft == pytest.approx(20 * 255 / -FLOOR, abs=1.5)


def test_silence_is_nothing_and_both_sides_are_looked_at() -> None:
    assert not spectrogram(np.zeros((1, RATE), np.float32), RATE, 0.0, 1.0, 8, 64).any()
    sides = np.concatenate([sine(200.0), sine(3000.0)])
    column = spectrogram(sides, RATE, 0.0, 1.0, 8, 128)[:, 4]
    for hertz in (200.0, 3000.0):
        assert column[row_of(hertz, 128) + np.arange(-1, 2)].max() > 200
