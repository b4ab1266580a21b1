"""The spectrum of one slot while listening, by a meter from outside."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import scipy.signal

from caligo.engine.listening.live import Listening
from caligo.engine.listening.loop_start import Loop
from caligo.engine.listening.spectrum_meter import LOWEST, SIZE
from tests.core.builders import RATE, one_note, plain_layer, plain_sound

BIN = RATE / SIZE


def two_layers(cutoff: float = 400.0) -> Any:
    """A filtered saw beside a sine two octaves higher."""
    low = plain_layer(table="saw")
    low["filters"] = [
        {"id": "filter1", "kind": "lowpass", "params": {"cutoff": cutoff, "slope": "12"}}
    ]
    high = {**plain_layer(table="sine"), "id": "high", "name": "High", "params": {"octave": 2}}
    return plain_sound(low, layers=[low, high])


def decibels_of(listening: Listening, blocks: int = 12) -> np.ndarray:
    """Both sides' spectra after some blocks, in dB ``[2, bins]``."""
    for _ in range(blocks):
        listening.block()
    found = listening.spectrum()
    assert found is not None
    return LOWEST + found / 2.0


def height(decibels: np.ndarray, hertz: float) -> float:
    """The highest near a frequency, on the left."""
    at = round(hertz / BIN)
    return float(decibels[0, at - 3 : at + 4].max())


def test_nothing_is_kept_while_nobody_watches() -> None:
    listening = Listening(two_layers(), one_note(57, 10.0))
    listening.block()
    assert listening.spectrum() is None
    listening.watch("ground.filter1")
    assert listening.spectrum() is None
    listening.watch("nobody.filter1")
    for _ in range(10):
        listening.block()
    assert listening.spectrum() is None


def test_a_stage_is_seen_alone_and_as_high_as_it_is() -> None:
    """Partials of A3 behind the filter as `scipy.signal` finds them, and nothing of the sine."""
    listening = Listening(two_layers(), one_note(57, 10.0))
    listening.watch("ground.filter1")
    filtered = decibels_of(listening)
    listening.watch("ground.source")
    bare = decibels_of(listening)
    listening.watch("high")
    other = decibels_of(listening)
    section = scipy.signal.butter(2, 400.0, fs=RATE, output="sos")
    for partial in (220.0, 1_100.0, 2_200.0):
        _, response = scipy.signal.sosfreqz(section, [2 * np.pi * partial / RATE])
        wanted = 20 * np.log10(abs(response[0]))
        assert height(filtered, partial) - height(bare, partial) == pytest.approx(wanted, abs=1.0)
    assert height(other, 880.0) > -40 > -90 > height(other, 220.0)
    # A sine at -20 dB of peak lies as deep under the window's 13.6 dB in the browser's analyser.
    assert height(other, 880.0) == pytest.approx(-20.1 - 13.6, abs=1.0)


def test_watching_changes_no_sample_and_goes_on_over_edits_and_turns() -> None:
    plain = Listening(two_layers(), one_note(57, 10.0), loop=Loop(0.0, 1.5))
    watched = Listening(two_layers(), one_note(57, 10.0), loop=Loop(0.0, 1.5))
    watched.watch("ground.filter1")
    for step in range(90):
        if step == 20:
            for listening in (plain, watched):
                listening.edit(two_layers(1_200.0))
        if step == 40:
            for listening in (plain, watched):
                listening.edit(two_layers(90.0))
        assert np.array_equal(plain.block(), watched.block())
    found = watched.spectrum()
    assert found is not None
    dark = LOWEST + found / 2.0
    assert height(dark, 2_200.0) < height(dark, 220.0) - 35
