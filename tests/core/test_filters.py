"""Filters against their analogue prototypes and the slopes that they promise."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyloudnorm
import pytest
import scipy.signal

from caligo.document.held import held_chord
from caligo.engine.render.offline import render_array
from caligo.processing.slopes import slope_sections
from caligo.signal.first_order import run_slope
from caligo.signal.matched import slopes_of
from caligo.signal.sections import run_sections
from caligo.signal.state_variable import BUTTERWORTH_2, sharpness
from tests.core.builders import (
    RATE,
    decibels,
    layer_of,
    one_note,
    plain_layer,
    plain_sound,
    transfer,
)
from tests.sweeps import spread

TICKS = 3072


def run(
    signal: np.ndarray, hertz: np.ndarray, resonance: np.ndarray, steep: bool, highpass: bool,
    state: np.ndarray, rate: int = RATE,
) -> None:  # fmt: skip
    """Slopes of 12 or 24 dB over `signal`, in place; numbers are ``[voices, ticks + 1]``."""
    sections = slope_sections(highpass, hertz[:, None], sharpness(resonance, steep), rate)
    run_sections(signal, sections, np.ones_like(hertz), state)


def impulse_response(
    cutoff: float, resonance: float, steep: bool, highpass: bool, rate: int = RATE
) -> np.ndarray:
    signal = np.zeros((1, 2, TICKS * 64), np.float32)
    signal[0, :, 0] = 1.0
    steady = np.ones((1, TICKS + 1))
    state = np.zeros((1, 2, 4 if steep else 2))
    run(signal, cutoff * steady, resonance * steady, steep, highpass, state, rate)
    assert np.array_equal(signal[0, 0], signal[0, 1])
    return signal[0, 0].astype(float)


def analogue(hertz: np.ndarray, cutoff: float, qs: list[float], highpass: bool) -> np.ndarray:
    """Sections in series as `scipy.signal.freqs` has them, in dB."""
    found = np.zeros(len(hertz))
    w = 2.0 * np.pi * cutoff
    for q in qs:
        over = [1.0, 0.0, 0.0] if highpass else [w * w]
        _, h = scipy.signal.freqs(over, [1.0, w / q, w * w], worN=2.0 * np.pi * hertz)
        found += decibels(np.abs(h))
    return found


def audible(rate: int) -> np.ndarray:
    """Frequencies to 16 kHz, at 32 kHz to 0.45 of the rate."""
    return np.geomspace(30.0, min(16_000.0, 0.45 * rate), 300)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("steep", [False, True])
@pytest.mark.parametrize("highpass", [False, True])
@pytest.mark.parametrize("cutoff", [60.0, 440.0, 3_017.0, 9_300.0, 13_001.0])
@pytest.mark.parametrize("resonance", [0.0, 37.0, 100.0])
def test_slopes_are_those_of_the_analogue_prototype(
    cutoff: float, resonance: float, highpass: bool, steep: bool, rate: int
) -> None:
    """Within a decibel to 16 kHz, wherever it is heard; `scipy.signal.freqs`."""
    response = impulse_response(cutoff, resonance, steep, highpass, rate)
    rise = 24.0 ** (resonance / 100.0)
    qs = [0.541196, 1.306563 * rise] if steep else [BUTTERWORTH_2 * rise]
    hertz = audible(rate)
    wanted = analogue(hertz, cutoff, qs, highpass)
    ours = decibels(np.abs(transfer(response, hertz, rate)))
    heard = wanted > -50.0
    assert np.abs(ours - wanted)[heard].max() < 1.0


@pytest.mark.parametrize("rate", [44_100, 96_000])
@pytest.mark.parametrize("highpass", [False, True])
@pytest.mark.parametrize("cutoff", [90.0, 1_500.0, 7_777.0, 12_500.0])
def test_slopes_of_six_decibels_are_the_analogue_ones(
    cutoff: float, highpass: bool, rate: int
) -> None:
    signal = np.zeros((1, 2, TICKS * 64), np.float32)
    signal[0, :, 0] = 1.0
    hertz = np.full((1, 2, TICKS + 1), cutoff)
    slopes = slopes_of(highpass, hertz, rate)
    run_slope(signal, slopes, np.ones((1, TICKS + 1)), highpass, np.zeros((1, 2, 1)))
    w, at = 2.0 * np.pi * cutoff, audible(rate)
    over = [1.0, 0.0] if highpass else [w]
    _, wanted = scipy.signal.freqs(over, [1.0, w], worN=2.0 * np.pi * at)
    ours = np.abs(transfer(signal[0, 0].astype(float), at, rate))
    assert np.abs(decibels(ours / np.abs(wanted))).max() < 1.0


@pytest.mark.parametrize(("steep", "slope"), [(False, 12.0), (True, 24.0)])
@pytest.mark.parametrize("highpass", [False, True])
def test_slopes_are_what_they_are_called(steep: bool, slope: float, highpass: bool) -> None:
    """12 and 24 dB per octave, read two and three octaves away from the corner."""
    cutoff = 1_000.0 if not highpass else 4_000.0
    response = impulse_response(cutoff, 0.0, steep, highpass)
    ends = [cutoff * 4, cutoff * 8] if not highpass else [cutoff / 8, cutoff / 16]
    found = transfer(response, np.array(ends), RATE)
    fall = decibels(found[0]) - decibels(found[1])
    assert fall == pytest.approx(slope, rel=0.12)


@pytest.mark.parametrize("steep", [False, True])
@pytest.mark.parametrize("highpass", [False, True])
def test_flat_filters_are_3_db_down_at_the_corner(steep: bool, highpass: bool) -> None:
    response = impulse_response(1_000.0, 0.0, steep, highpass)
    found = transfer(response, np.array([1_000.0]), RATE)
    assert decibels(found[0]) == pytest.approx(-3.01, abs=0.05)


def test_steep_flat_filter_is_scipys_butterworth() -> None:
    hertz = np.geomspace(50, 15_000, 100)
    ours = transfer(impulse_response(1_000.0, 0.0, True, False), hertz, RATE)
    b, a = scipy.signal.butter(4, 2.0 * np.pi * 1_000.0, analog=True)
    _, wanted = scipy.signal.freqs(b, a, worN=2.0 * np.pi * hertz)
    assert np.abs(np.abs(ours) - np.abs(wanted)).max() < 0.001


def test_filters_survive_the_wildest_moves() -> None:
    rng = np.random.default_rng(1)
    signal = rng.standard_normal((4, 2, TICKS * 64)).astype(np.float32)
    corner = np.exp2(rng.uniform(4.3, 14.3, (4, TICKS + 1)))
    run(signal, corner, rng.uniform(0, 100, (4, TICKS + 1)), True, False, np.zeros((4, 2, 4)))
    assert np.isfinite(signal).all()
    assert np.abs(signal).max() < 1e4


def test_a_filter_that_was_fed_nonsense_recovers() -> None:
    signal = np.ones((1, 2, 4 * 64), np.float32)
    signal[0, 0, 70] = np.nan
    steady = np.ones((1, 5))
    run(signal, 500 * steady, 0 * steady, False, False, np.zeros((1, 2, 2)))
    assert np.isfinite(signal[0, :, 128:]).all()


def level_of(filters: list[dict[str, Any]], key: int = 69, **params: Any) -> float:
    layer = plain_layer(table="sine")
    layer["filters"] = filters
    layer["params"] = params
    signal = render_array(plain_sound(layer), one_note(key, 1.0))[0][RATE // 2 :]
    bare = render_array(plain_sound(plain_layer(table="sine")), one_note(key, 1.0))[0][RATE // 2 :]
    return float(decibels(np.std(signal) / np.std(bare)))


def low(cutoff: float, **params: Any) -> dict[str, Any]:
    return {"id": "f1", "kind": "lowpass", "params": {"cutoff": cutoff, **params}}


def high(cutoff: float, **params: Any) -> dict[str, Any]:
    return {"id": "f2", "kind": "highpass", "params": {"cutoff": cutoff, **params}}


def test_series_cuts_what_parallel_lets_pass() -> None:
    pair = [low(110.0), high(1_760.0)]
    assert level_of(pair) < -90.0
    assert level_of(pair, arrangement="parallel") > -60.0
    assert level_of([low(20_000), high(20_000)], arrangement="parallel", blend=0) == pytest.approx(
        0.0, abs=0.1
    )


def test_key_follow_moves_the_corner_with_the_key() -> None:
    """At 100 % the corner keeps its distance to the note: the same cut on every key."""
    cuts = [level_of([low(261.6255653, key_follow=100)], key) for key in (48, 60, 84)]
    assert np.ptp(cuts) < 0.1
    assert cuts[0] == pytest.approx(-3.0, abs=0.1)


def test_mix_at_nothing_leaves_the_signal() -> None:
    assert level_of([low(100, mix=0)]) == pytest.approx(0.0, abs=1e-4)


def test_bypassed_filters_do_nothing() -> None:
    assert level_of([low(100) | {"bypass": True}]) == pytest.approx(0.0, abs=1e-6)


@pytest.mark.parametrize(
    ("kind", "rate"), spread(["lowpass", "highpass", "ladder", "bandpass"], [44_100, 96_000])
)
def test_matched_resonance_is_the_same_in_blocks_of_64(kind: str, rate: int) -> None:
    """Moved from none to all of it, mixed, at C1 and C8, with corners past both ends."""
    swing = {"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 0.3}}}
    moved, depth = ("width", 3.0) if kind == "bandpass" else ("resonance", 100.0)
    own = {"width": 0.5} if kind == "bandpass" else {"resonance": 50}
    filters = [{"id": "f", "kind": kind, "params": {"even": True, "mix": 60, "cutoff": 1_000,
                "key_follow": 100} | own}]  # fmt: skip
    routes = [{"id": "r", "from": "m", "to": f"ground.f.{moved}", "depth": depth},
              {"id": "s", "from": "m", "to": "ground.f.cutoff", "depth": 8}]  # fmt: skip
    sound = plain_sound(
        plain_layer(table="saw") | {"filters": filters}, modulators=[swing], routes=routes
    )
    score = held_chord("C1 F#4 C8", 1.0)
    one, two = (render_array(sound, score, rate=rate, block=b, ahead=False) for b in (64, 8_192))
    assert np.isfinite(one).all()
    assert np.array_equal(one, two)


@pytest.mark.parametrize("stages", [1, 3, 5])
@pytest.mark.parametrize(
    ("width", "cutoff"), [(0.4, 300.0), (1.0, 1_130.0), (2.7, 7_000.0), (4.0, 61.0)]
)
def test_a_band_at_matched_loudness(width: float, cutoff: float, stages: int) -> None:
    """Pink noise (Voss and Clarke 1975) is as loud through a band as before, by `pyloudnorm`.

    What goes around the band, at a mix of 0, is not raised.
    """

    def loudness(even: bool, mix: float) -> float:
        params = {"cutoff": cutoff, "width": width, "stages": stages, "even": even, "mix": mix}
        layer = layer_of("noise", tilt=-3)
        layer["filters"] = [{"id": "f", "kind": "bandpass", "params": params}]
        heard = render_array(plain_sound(layer), one_note(60, 8.0))
        return float(pyloudnorm.Meter(RATE).integrated_loudness(heard[:, RATE:].T.astype(float)))

    before = loudness(True, 0.0)
    assert before == pytest.approx(loudness(False, 0.0), abs=1e-3)
    assert loudness(True, 100.0) == pytest.approx(before, abs=1.0)
    assert loudness(False, 100.0) < before - 2.0


@pytest.mark.parametrize(
    ("kind", "own", "cutoff"),
    spread(
        [("lowpass", {"slope": "12"}), ("lowpass", {"slope": "24"}), ("highpass", {"slope": "12"}),
         ("highpass", {"slope": "24"}), ("ladder", {"drive": -12.0})],
        [300.0, 1_000.0, 4_000.0],
    ),
)  # fmt: skip
def test_resonance_at_matched_loudness(kind: str, own: dict[str, Any], cutoff: float) -> None:
    """Pink noise (Voss and Clarke 1975) is as loud at any resonance, by `pyloudnorm`."""

    def loudness(resonance: float, even: bool) -> float:
        params = own | {"cutoff": cutoff, "resonance": resonance, "even": even}
        layer = layer_of("noise", tilt=-3)
        # The ladder bends what is louder.
        layer["source"]["params"]["level"] = -30.0
        layer["filters"] = [{"id": "f", "kind": kind, "params": params}]
        heard = render_array(plain_sound(layer), one_note(60, 6.0))
        return float(pyloudnorm.Meter(RATE).integrated_loudness(heard[:, RATE:].T.astype(float)))

    flat = loudness(0.0, True)
    assert flat == pytest.approx(loudness(0.0, False), abs=1e-6)
    for resonance in (50.0, 100.0):
        assert loudness(resonance, True) == pytest.approx(flat, abs=1.0)
    assert abs(loudness(100.0, False) - flat) > 4.0
