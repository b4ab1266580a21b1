"""Bands, the ladder, the comb, the all-pass chain and vowels against their formulas."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
import scipy.signal

from caligo.catalogue import implementation
from caligo.engine.render.engine import RATES
from caligo.engine.render.offline import render_array
from caligo.filters.vowel import HERTZ, LEVELS, VOWELS
from caligo.movement.block import stereo_block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import whole
from caligo.signal.ticks import TICK, Span
from tests.core.builders import RATE, decibels, one_note, plain_layer, plain_sound, transfer


def through(kind: str, signal: np.ndarray, rate: int = RATE, **params: Any) -> np.ndarray:
    """`signal` ``[2, samples]`` through a filter at middle C, in blocks."""
    layer = plain_layer() | {"filters": [{"id": "f", "kind": kind, "params": params}]}
    sound = plain_sound(layer)
    made = implementation("filter", kind)(
        sound.layers[0].filters[0], "ground.f", Movement(sound, one_note()), rate
    )
    out = signal.astype(np.float32)[None].copy()
    note = whole(1.0)
    for first in range(0, out.shape[2] // TICK, 256):
        span = Span(first, min(256, out.shape[2] // TICK - first), rate)
        block = stereo_block(span, Moments(span.times, note, note))
        here = slice(first * TICK, (first + span.ticks) * TICK)
        piece = out[:, :, here].copy()
        made.process(block, piece)
        out[:, :, here] = piece
    found: np.ndarray = out[0]
    return found


def response(kind: str, hertz: np.ndarray, rate: int = RATE, side: int = 0, **params: Any) -> Any:
    """The complex response of a filter at frequencies, from its impulse response."""
    impulse = np.zeros((2, TICK * 2048))
    impulse[:, 0] = 1.0
    heard = through(kind, impulse, rate, **params)[side].astype(float)
    rings = np.flatnonzero(np.abs(heard) > 1e-9 * np.abs(heard).max())
    heard = heard[: rings[-1] + 1]
    return transfer(heard, hertz, rate)


def warped(hertz: np.ndarray, corner: float, rate: int = RATE) -> np.ndarray:
    """Where a digital frequency lies on the analogue axis, over the corner, as ``s``.

    The bilinear transform (Oppenheim and Schafer, section 7.2).
    """
    found: np.ndarray = 1j * np.tan(np.pi * hertz / rate) / math.tan(math.pi * corner / rate)
    return found


def audible(rate: int = RATE) -> np.ndarray:
    """Frequencies to 16 kHz, or to 0.45 of a low rate."""
    return np.geomspace(30.0, min(16_000.0, 0.45 * rate), 300)


def analogue(over: Any, under: Any, corner: float, hertz: np.ndarray) -> np.ndarray:
    """An analogue prototype in ``s / corner``, by `scipy.signal.freqs`, in dB."""
    _, h = scipy.signal.freqs(over, under, worN=hertz / corner)
    found: np.ndarray = decibels(np.maximum(np.abs(h), 1e-9))
    return found


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("stages", [1, 3, 5])
@pytest.mark.parametrize(
    ("cutoff", "width"), [(90.0, 0.3), (1_000.0, 0.1), (5_000.0, 2.0), (11_111.0, 0.58)]
)
def test_a_band_passes_as_wide_as_it_says(
    cutoff: float, width: float, stages: int, rate: int
) -> None:
    """0 dB in the middle, 3 dB down half the width away (the cookbook's analogue bandwidth)."""
    q = 1.0 / (2.0 * math.sinh(math.log(2.0) / 2.0 * width))
    d = 1.0 / (q * math.sqrt(2.0 ** (1.0 / stages) - 1.0))
    hertz = audible(rate)
    wanted = stages * analogue([d, 0.0], [1.0, d, 1.0], cutoff, hertz)
    params = {"cutoff": cutoff, "width": width, "stages": stages}
    found = decibels(np.abs(response("bandpass", hertz, rate, **params)))
    heard = wanted > -60.0
    # Each stage within a decibel, and within a quarter of one below 5 kHz.
    assert np.abs(found - wanted)[heard].max() < 1.0 * stages
    assert np.abs(found - wanted)[heard & (hertz < 5_000.0)].max() < 0.25 * stages
    edges = cutoff * 2.0 ** np.array([-width / 2.0, 0.0, width / 2.0])
    levels = decibels(np.abs(response("bandpass", edges, rate, **params)))
    assert levels == pytest.approx([-3.01, 0.0, -3.01], abs=0.15 if cutoff < 2_000.0 else 0.8)


@pytest.mark.parametrize("rate", [44_100, 96_000])
@pytest.mark.parametrize("parting", [0.0, 1.0, 5.0])
def test_two_notches_part(parting: float, rate: int) -> None:
    low, high = 900.0 * 2.0 ** (-parting / 2.0), 900.0 * 2.0 ** (parting / 2.0)
    q = 1.0 / (2.0 * math.sinh(math.log(2.0) / 2.0 * 0.5))
    hertz = audible(rate)
    wanted = sum(
        analogue([1.0, 0.0, 1.0], [1.0, 1.0 / q, 1.0], corner, hertz) for corner in (low, high)
    )
    params = {"cutoff": 900.0, "width": 0.5, "parting": parting}
    found = decibels(np.abs(response("notch", hertz, rate, **params)))
    heard = wanted > -30.0
    assert np.abs(found - wanted)[heard].max() < 0.3
    gaps = response("notch", np.array([low, high]), rate, **params)
    assert decibels(np.abs(gaps)).max() < -55.0


@pytest.mark.parametrize("rate", [44_100, 96_000])
@pytest.mark.parametrize("gain", [-24.0, -6.0, 0.0, 9.0, 30.0])
@pytest.mark.parametrize(
    ("cutoff", "width"), [(60.0, 0.2), (1_000.0, 1.0), (9_317.0, 0.43), (12_000.0, 0.5)]
)
def test_the_peak_is_the_cookbooks(gain: float, cutoff: float, width: float, rate: int) -> None:
    """peakingEQ of the Audio EQ Cookbook (Bristow-Johnson; W3C note), as an analogue filter."""
    d = 2.0 * math.sinh(math.log(2.0) / 2.0 * width)
    a = 10.0 ** (gain / 40.0)
    hertz = audible(rate)
    wanted = analogue([1.0, d * a, 1.0], [1.0, d / a, 1.0], cutoff, hertz)
    found = decibels(np.abs(response("peak", hertz, rate, cutoff=cutoff, width=width, gain=gain)))
    assert np.abs(found - wanted).max() < (0.05 if cutoff < 2_000.0 else 0.5)


@pytest.mark.parametrize("kind", ["lowpass", "highpass"])
@pytest.mark.parametrize("cutoff", [80.0, 2_000.0, 11_000.0])
def test_six_decibels_are_scipys(kind: str, cutoff: float) -> None:
    hertz = audible()
    b, a = scipy.signal.butter(1, 1.0, kind, analog=True)
    wanted = analogue(b, a, cutoff, hertz)
    found = decibels(np.abs(response(kind, hertz, cutoff=cutoff, slope="6")))
    assert np.abs(found - wanted).max() < 1.0


@pytest.mark.parametrize("slope", ["6", "12", "24"])
def test_the_sides_part(slope: str) -> None:
    """Each side is the filter at its own corner, half the spread away."""
    hertz = np.geomspace(30.0, 18_000.0, 100)
    for side, corner in ((0, 500.0), (1, 2_000.0)):
        parted = response("lowpass", hertz, side=side, cutoff=1_000.0, spread=2.0, slope=slope)
        alone = response("lowpass", hertz, cutoff=corner, slope=slope)
        assert np.abs(parted - alone).max() < 1e-5


@pytest.mark.parametrize("feedback", [-60.0, 0.0, 90.0])
@pytest.mark.parametrize("stages", [2, 6, 12])
def test_the_all_pass_chain_is_its_formula(stages: int, feedback: float) -> None:
    """``A = ((1 - s)/(1 + s))^n`` in a loop without delay, half of it direct."""
    hertz = np.geomspace(40.0, 16_000.0, 300)
    s = warped(hertz, 700.0)
    chain = ((1.0 - s) / (1.0 + s)) ** stages
    back = 0.95 * feedback / 100.0
    loop = (1.0 - abs(back)) * chain
    loop /= 1.0 - back * chain
    found = response("allpass", hertz, cutoff=700.0, stages=stages, feedback=feedback, mix=50)
    assert np.abs(found - 0.5 * (1.0 + loop)).max() < 2e-3


@pytest.mark.parametrize("size", [60.0, 100.0, 180.0])
@pytest.mark.parametrize("vowel", range(len(VOWELS)))
def test_formants_lie_where_the_table_says(vowel: int, size: float) -> None:
    """Peterson and Barney (1952), table II; a longer throat has lower formants in proportion."""
    wanted = HERTZ[vowel] * 100.0 / size
    spacing = np.geomspace(0.9, 1.1, 201)
    for formant, hertz in enumerate(wanted):
        if hertz > 0.3 * RATE:
            continue
        around = np.abs(response("vowel", hertz * spacing, vowel=vowel, size=size))
        # Its neighbours' slopes pull weak formants a little.
        assert spacing[around.argmax()] == pytest.approx(1.0, abs=0.03), formant


@pytest.mark.parametrize("vowel", range(len(VOWELS)))
def test_formants_are_as_strong_as_the_table_says(vowel: int) -> None:
    """On a source that falls by 6 dB per octave; same table."""
    peaks = decibels(np.abs(response("vowel", HERTZ[vowel], vowel=vowel)))
    heard = peaks - 6.0 * np.log2(HERTZ[vowel] / HERTZ[vowel, 0])
    wanted = LEVELS[vowel] - LEVELS[vowel, 0]
    assert heard - heard[0] == pytest.approx(wanted, abs=2.5)


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("damping", [2_000.0, 20_000.0])
@pytest.mark.parametrize("tuned", [32.7032, 261.6256, 1_046.5, 4_186.01])
def test_the_comb_rings_in_tune(tuned: float, damping: float, rate: int) -> None:
    """From C1 to C8, and at its multiples where nothing is damped; below zero an octave lower."""
    spacing = np.geomspace(2.0 ** (-40 / 1200), 2.0 ** (40 / 1200), 321)

    def cents(hertz: float, feedback: float) -> float:
        params = {"cutoff": tuned, "feedback": feedback, "damping": damping, "mix": 100}
        around = np.abs(response("comb", hertz * spacing, rate, **params))
        return 1200.0 * math.log2(spacing[around.argmax()])

    # Where the damping lies an octave below, hardly anything rings, and what does leans downwards.
    assert abs(cents(tuned, 95.0)) < (2.0 if damping > tuned else 30.0)
    if damping > 10_000.0 and tuned < 2_000.0:
        assert abs(cents(3.0 * tuned, 95.0)) < 3.0
        assert abs(cents(1.5 * tuned, -95.0)) < 3.0
        assert abs(cents(0.5 * tuned, -95.0)) < 3.0


def test_noise_keeps_its_level_in_the_comb() -> None:
    """Energy kept: within 1 dB for any feedback, where damping takes nothing yet."""
    noise = 0.1 * np.random.default_rng(1).standard_normal((2, RATE * 4 // TICK * TICK))
    for feedback in (-90.0, -40.0, 40.0, 90.0):
        heard = through("comb", noise, feedback=feedback, damping=20_000.0, mix=100.0)
        lows = scipy.signal.butter(4, 1_500.0, fs=RATE, output="sos")
        one, two = (scipy.signal.sosfilt(lows, x)[:, RATE:].std() for x in (heard, noise))
        change = decibels(one / two)
        assert abs(change) < 1.0, feedback


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("resonance", [0.0, 50.0, 90.0])
def test_the_ladder_is_its_formula_where_it_is_soft(resonance: float, rate: int) -> None:
    """``(1 + k/2) / ((1 + s)^4 + k)`` (Zavalishin, chapter 5; from memory) for small signals."""
    k = 3.92 * resonance / 100.0
    hertz = np.geomspace(30.0, 16_000.0, 300)
    impulse = np.zeros((2, TICK * 2048))
    impulse[:, 0] = 1e-4
    params = {"cutoff": 800.0, "resonance": resonance, "drive": 0.0}
    heard = through("ladder", impulse, rate, **params)[0].astype(float) / 1e-4
    found = transfer(heard, hertz, rate)
    s = warped(hertz, 800.0, rate)
    level = math.sqrt(1.0 + 0.25**2)
    wanted = level * (1.0 + 0.5 * k) / ((1.0 + s) ** 4 + k)
    assert np.abs(found - wanted).max() < 2e-3 * np.abs(wanted).max()


@pytest.mark.parametrize("drive", [-12.0, 0.0, 12.0, 36.0])
def test_a_driven_wave_keeps_its_level_and_gets_odd_partials(drive: float) -> None:
    """A sine at -12 dBFS, well below the cutoff; a bend with a centre of symmetry has no even
    partials (textbook)."""
    t = np.arange(RATE * 2 // TICK * TICK) / RATE
    sine = np.repeat(0.25 * np.sin(2.0 * np.pi * 110.0 * t)[None], 2, axis=0)
    params = {"cutoff": 15_000.0, "resonance": 0.0, "drive": drive, "driven": "fixed"}
    heard = through("ladder", sine, **params)[0, RATE:]
    assert decibels(np.abs(heard).max() / 0.25) == pytest.approx(0.0, abs=0.6)
    lines = np.abs(np.fft.rfft(heard[: RATE // 2 * 2 // 2] * np.hanning(RATE // 2 * 2 // 2)))
    step = RATE / (RATE // 2 * 2 // 2)
    first, second, third = (lines[round(n * 110.0 / step)] for n in (1, 2, 3))
    assert decibels(second / first) < -90.0
    if drive >= 12.0:
        assert decibels(third / first) > -25.0


def test_the_ladder_sings_at_its_cutoff_and_stops() -> None:
    impulse = np.zeros((2, RATE * 3 // TICK * TICK))
    impulse[:, 0] = 0.5
    heard = through("ladder", impulse, cutoff=440.0, resonance=100.0)[0].astype(float)
    lines = np.abs(np.fft.rfft(heard[:RATE] * np.hanning(RATE), 16 * RATE))
    assert 1200.0 * abs(math.log2(lines.argmax() / 16.0 / 440.0)) < 10.0
    assert decibels(np.abs(heard[-RATE // 4 :]).max() / np.abs(heard[:RATE]).max()) < -60.0


@pytest.mark.parametrize(
    ("kind", "params"),
    [
        ("ladder", {"resonance": 100, "drive": 36}),
        ("comb", {"feedback": 100}),
        ("bandpass", {"width": 0.01, "stages": 5}),
        ("allpass", {"feedback": -100, "stages": 12}),
        ("vowel", {"width": 10}),
        ("peak", {"gain": 36, "width": 0.01}),
    ],
)
def test_filters_stay_bounded_while_they_are_torn_about(kind: str, params: dict[str, Any]) -> None:
    """Two routes of random values as fast as ticks allow, at the sharpest settings."""
    layer = plain_layer(table="saw") | {
        "filters": [{"id": "f", "kind": kind, "params": params}], "params": {"level": -24},
    }  # fmt: skip
    target = "vowel" if kind == "vowel" else "cutoff"
    moving = [
        {
            "id": "m",
            "name": "M",
            "kind": "random",
            "params": {"period": {"value": 0.1, "unit": "s"}},
        }
    ]
    routes = [{"id": "r", "from": "m", "to": f"ground.f.{target}", "depth": 4}]
    sound = plain_sound(layer, modulators=moving, routes=routes)
    heard = render_array(sound, one_note(36, 6.0))
    assert np.isfinite(heard).all()
    assert 1e-4 < np.abs(heard).max() <= 1.0


def test_the_blend_goes_from_one_of_four_filters_to_the_next() -> None:
    """In parallel: at a third of the way only the second is heard."""
    kinds = ["lowpass", "bandpass", "notch", "highpass"]
    filters = [{"id": f"f{i}", "kind": kind, "params": {}} for i, kind in enumerate(kinds)]

    def heard(chosen: list[dict[str, Any]], **params: Any) -> np.ndarray:
        layer = plain_layer(table="saw") | {"filters": chosen, "params": params}
        return render_array(plain_sound(layer), one_note(45, 1.0))

    for i, one in enumerate(filters):
        blended = heard(filters, arrangement="parallel", blend=100.0 * i / 3.0)
        assert np.abs(blended - heard([one])).max() < 1e-5
    half = heard(filters, arrangement="parallel", blend=100.0 / 6.0)
    between = 0.5 * (heard(filters[:1]) + heard(filters[1:2]))
    assert np.abs(half - between).max() < 1e-5
