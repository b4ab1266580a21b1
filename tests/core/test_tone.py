"""Equalizer, filter and multiband against the cookbook; width against its own definition."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
import scipy.signal

from caligo.document import read_sound
from caligo.document.score import TempoChange
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from tests.core.builders import RATE, decibels, one_note, plain_layer, plain_sound, transfer
from tests.core.effects import effect, impulse, noise, sine, through

LINES = np.geomspace(30.0, 16_000.0, 300)


def response(kind: str, **params: Any) -> np.ndarray:
    """Levels in dB at `LINES`, from the impulse response."""
    heard = through(effect(kind, **params), impulse(2.0))[0].astype(float)
    found: np.ndarray = decibels(np.abs(transfer(heard, LINES, RATE)))
    return found


def cookbook(shape: str, hertz: float, gain: float, q: float) -> np.ndarray:
    """The Audio EQ Cookbook's analogue filters (Bristow-Johnson; W3C note), in dB at `LINES`."""
    a, d = 10.0 ** (gain / 40.0), 1.0 / q
    root = math.sqrt(a) * d
    over, under = {
        "bell": ([1.0, a * d, 1.0], [1.0, d / a, 1.0]),
        "low_shelf": ([a, a * root, a * a], [a, root, 1.0]),
        "high_shelf": ([a * a, a * root, a], [1.0, root, a]),
        "low_cut": ([1.0, 0.0, 0.0], [1.0, d, 1.0]),
        "high_cut": ([1.0], [1.0, d, 1.0]),
        "notch": ([1.0, 0.0, 1.0], [1.0, d, 1.0]),
    }[shape]
    _, h = scipy.signal.freqs(over, under, worN=LINES / hertz)
    found: np.ndarray = decibels(np.maximum(np.abs(h), 1e-9))
    return found


@pytest.mark.parametrize(
    "shape", ["bell", "low_shelf", "high_shelf", "low_cut", "high_cut", "notch"]
)
@pytest.mark.parametrize(("hertz", "gain", "width"), [(60.0, 9.0, 1.9), (1_000.0, -18.0, 0.4),
                                                      (9_000.0, 24.0, 3.0)])  # fmt: skip
def test_bands_are_the_cookbooks(shape: str, hertz: float, gain: float, width: float) -> None:
    q = 1.0 / (2.0 * math.sinh(math.log(2.0) / 2.0 * width))
    band = {"shape1": "off", "shape2": "off", "shape3": shape, "frequency3": hertz, "gain3": gain,
            "width3": width}  # fmt: skip
    found, wanted = response("equalizer", **band), cookbook(shape, hertz, gain, q)
    heard = wanted > -50.0
    assert np.abs(found - wanted)[heard].max() < (1.0 if hertz > 5_000.0 else 0.6)
    assert np.abs(found - wanted)[heard & (LINES < 4_000.0)].max() < 0.3


def test_all_bands_work_at_once() -> None:
    bands: dict[str, Any] = {}
    wanted = np.zeros(300)
    for n in range(1, 17):
        hertz = 60.0 * 1.4**n
        bands |= {f"shape{n}": "bell", f"frequency{n}": hertz, f"gain{n}": 6.0, f"width{n}": 0.5}
        q = 1.0 / (2.0 * math.sinh(math.log(2.0) / 2.0 * 0.5))
        wanted += cookbook("bell", hertz, 6.0, q)
    assert np.abs(response("equalizer", **bands) - wanted).max() < 0.3


def test_a_new_equalizer_only_cuts_rumble() -> None:
    found = response("equalizer")
    assert np.abs(found[LINES > 150.0]).max() < 0.2


@pytest.mark.parametrize(("passes", "kind"), [("lows", "lowpass"), ("highs", "highpass")])
@pytest.mark.parametrize(("slope", "order"), [("12", 2), ("24", 4)])
def test_the_filter_is_scipys_butterworth(passes: str, kind: str, slope: str, order: int) -> None:
    b, a = scipy.signal.butter(order, 1.0, kind, analog=True)
    wanted = decibels(np.abs(scipy.signal.freqs(b, a, worN=LINES / 700.0)[1]))
    found = response("filter", passes=passes, slope=slope, cutoff=700.0)
    heard = wanted > -60.0
    assert np.abs(found - wanted)[heard].max() < 0.4


@pytest.mark.parametrize("band", ["low", "middle", "high"])
def test_a_band_alone_is_linkwitzs(band: str) -> None:
    """Fourth order: twice a second-order Butterworth on either side (Linkwitz, JAES 1976)."""
    levels = {f"{key}_level": 0.0 if key == band else -80.0 for key in ("low", "middle", "high")}
    found = response("multiband", low_split=300.0, high_split=3_000.0, **levels)
    wanted = np.zeros(300)
    for corner, kind, bands in ((300.0, "lowpass", ("low",)),
                                (300.0, "highpass", ("middle", "high")),
                                (3_000.0, "lowpass", ("middle",)),
                                (3_000.0, "highpass", ("high",))):  # fmt: skip
        if band in bands:
            sections = scipy.signal.butter(2, corner, kind, fs=RATE, output="sos")
            once = scipy.signal.freqz_sos(sections, worN=LINES, fs=RATE)[1]
            wanted += 2.0 * decibels(np.abs(once))
    heard = wanted > -60.0
    assert np.abs(found - wanted)[heard].max() < 0.15


@pytest.mark.parametrize("split", [60.0, 310.0, 5_200.0, 18_000.0])
@pytest.mark.parametrize(("band", "kind"), [("low", "lowpass"), ("high", "highpass")])
def test_one_of_two_bands_is_linkwitzs(band: str, kind: str, split: float) -> None:
    """One crossover: -6 dB where the two meet, and flat where both are heard."""
    other = {"low": "high", "high": "low"}[band]
    found = response("multiband", bands="two", split=split, **{f"{other}_level": -80.0})
    sections = scipy.signal.butter(2, split, kind, fs=RATE, output="sos")
    once = scipy.signal.freqz_sos(sections, worN=LINES, fs=RATE)[1]
    wanted = 2.0 * decibels(np.abs(once))
    heard = wanted > -60.0
    assert np.abs(found - wanted)[heard].max() < 0.15
    flat = response("multiband", bands="two", split=split)
    assert np.abs(flat).max() < 0.05


def test_two_bands_of_a_compressor_that_rests_add_up() -> None:
    flat = response("band_compressor", bands="two", split=900.0, ratio=1.0, lift_ratio=1.0)
    assert np.abs(flat).max() < 0.1


def test_an_effect_works_on_its_band_alone() -> None:
    """A ring modulator on the highs leaves a low tone as it is, though it is late by nothing."""
    ring = {"id": "r", "kind": "ring_modulator", "params": {"frequency": 100.0, "mix": 100.0}}
    chains: list[dict[str, Any]] = [
        {"id": "low", "effects": []},
        {"id": "middle", "effects": []},
        {"id": "high", "effects": [ring]},
    ]
    heard = through(
        effect("multiband", chains=chains), sine(100.0, 2.0, 0.3) + sine(8_000.0, 2.0, 0.3)
    )
    lines = np.abs(np.fft.rfft(heard[0, -RATE:])) / (RATE / 2)
    assert lines[100] == pytest.approx(0.3, rel=0.01)
    assert lines[8_000] < 0.01
    assert lines[8_100] > 0.1


def test_a_late_effect_in_one_band_is_waited_for_in_the_others() -> None:
    """With a limiter that does nothing in the lows, the bands still add up flat."""
    chains = [{"id": "low", "effects": [{"id": "l", "kind": "limiter",
                                         "params": {"gain": 0.0, "ceiling": 0.0}}]},
              {"id": "middle", "effects": []}, {"id": "high", "effects": []}]  # fmt: skip
    fx = effect("multiband", chains=chains)
    assert fx.latency() == 128
    given = impulse(1.0) * 0.3
    lines = decibels(np.abs(np.fft.rfft(through(fx, given)[0])) / 0.3)
    assert np.abs(lines[20:20_000]).max() < 0.05


@pytest.mark.parametrize("width", [0.0, 50.0, 200.0])
def test_width_scales_the_difference_alone(width: float) -> None:
    given = noise(1.0)
    heard = through(effect("width", width=width, mono_below=20.0), given)
    middle, difference = heard[0] + heard[1], heard[0] - heard[1]
    assert np.abs(middle - (given[0] + given[1])).max() < 1e-6
    assert np.abs(difference - width / 100.0 * (given[0] - given[1])).max() < 1e-6


def test_lows_become_mono() -> None:
    """12 dB per octave under the corner (a Butterworth of second order on the difference)."""
    for hertz, wanted in ((30.0, -24.1), (120.0, -3.0), (1_000.0, 0.0)):
        given = sine(hertz, 3.0, 0.3)
        given[1] = -given[1]
        heard = through(effect("width", mono_below=120.0), given)
        change = decibels(heard[:, RATE:].std() / given[:, RATE:].std())
        assert change == pytest.approx(wanted, abs=0.2)


def banded(inside: dict[str, Any]) -> dict[str, Any]:
    """A layer with an effect in the lows of three bands."""
    band = {"id": "bands", "kind": "multiband", "chains": [
        {"id": "low", "effects": [inside]}, {"id": "middle", "effects": []},
        {"id": "high", "effects": []}]}  # fmt: skip
    return plain_layer(table="saw") | {"inserts": [band]}


def test_what_stands_in_a_band_counts_for_the_stem() -> None:
    """A delay in beats inside a band: another tempo is another stem."""
    delay = {"id": "d", "kind": "delay", "params": {"left": {"value": 1.0, "unit": "beats"}}}
    sound = plain_sound(banded(delay))
    keys = set()
    for bpm in (60.0, 90.0):
        score = one_note().model_copy(update={"tempo": [TempoChange(bpm=bpm)]})
        keys.add(stem_key(sound, sound.layers[0], score, RATE, False))
    assert len(keys) == 2


def test_a_compressor_in_a_band_hears_another_layer() -> None:
    """The lows of one layer are turned down by another."""
    other = plain_layer(table="square") | {"id": "other", "name": "Other"}
    levels = []
    for side in ("", "other"):
        params = {"threshold": -30.0, "ratio": 10.0, "attack": 1.0, "side": side}
        layer = banded({"id": "c", "kind": "compressor", "params": params})
        layer["source"]["params"]["level"] = -40.0
        layer["inserts"][0]["params"] = {"high_level": -80.0, "middle_level": -80.0}
        layers = [layer, other | {"params": {"level": -80.0}}]
        quiet = read_sound({"name": "Banded", "layers": layers})
        levels.append(render_array(quiet, one_note(45, 2.0))[:, RATE:].std())
    assert decibels(levels[1] / levels[0]) < -6.0
