"""Saturation, folder and reduction: no folding, no offset, the loudness kept."""

from __future__ import annotations

import math

import numpy as np
import pytest

from caligo.engine.render.engine import RATES
from caligo.signal.four_rows import ROWS, down, up
from caligo.signal.fourfold import LATENCY, NEAR_TAPS, state
from caligo.signal.oversampling import FAR_TAPS
from tests.core.builders import RATE, decibels
from tests.core.effects import effect, noise, sine, through

CURVES = ["soft", "tape", "hard"]


def folded(wave: np.ndarray, hertz: float, rate: int = RATE) -> float:
    """What is no multiple of a pitch, against the pitch, in dB below 20 kHz.

    A second of the wave, so that each bin is a hertz; the pitch is a whole number of hertz.
    """
    lines = np.abs(np.fft.rfft(wave[-rate:] * np.blackman(rate)))
    first = lines[round(hertz)]
    for k in range(rate // 2 // round(hertz) + 1):
        lines[max(0, round(k * hertz) - 4) : round(k * hertz) + 5] = 0.0
    return float(decibels(lines[:20_000].max() / first))


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("drive", [0.0, 12.0, 24.0])
@pytest.mark.parametrize("curve", CURVES)
def test_saturation_does_not_fold(curve: str, drive: float, rate: int) -> None:
    """At 1 kHz and full scale: 80 dB under the pitch."""
    fx = effect("saturation", curve=curve, drive=drive, rate=rate)
    wave = through(fx, sine(1_013.0, 2.0, rate=rate))[0]
    assert folded(wave, 1_013.0, rate) < -80.0


@pytest.mark.parametrize("drive", [0.0, 12.0, 20.0])
def test_the_folder_does_not_fold_back(drive: float) -> None:
    wave = through(effect("folder", drive=drive), sine(1_013.0, 2.0))[0]
    assert folded(wave, 1_013.0) < -80.0


@pytest.mark.parametrize("drive", [-12.0, 0.0, 18.0, 36.0])
@pytest.mark.parametrize("curve", CURVES)
def test_a_driven_wave_keeps_its_level(curve: str, drive: float) -> None:
    """A sine at -12 dBFS keeps its peak within 0.5 dB."""
    wave = through(effect("saturation", curve=curve, drive=drive, driven="fixed"),
                   sine(200.0, 2.0, 0.25))[0]  # fmt: skip
    assert decibels(np.abs(wave[RATE:]).max() / 0.25) == pytest.approx(0.0, abs=0.5)


@pytest.mark.parametrize("drive", [0.0, 12.0, 30.0])
def test_a_folded_wave_keeps_its_loudness(drive: float) -> None:
    wave = through(effect("folder", drive=drive, driven="fixed"), sine(200.0, 2.0, 0.25))[0]
    assert decibels(wave[RATE:].std() / (0.25 * math.sqrt(0.5))) == pytest.approx(0.0, abs=1.5)


def test_the_soft_curve_is_its_formula() -> None:
    """Third partial of ``x / sqrt(1 + x^2)`` by numerical Fourier integral."""
    drive = 10.0 ** (12.0 / 20.0)
    t = (np.arange(4_096) + 0.5) / 4_096
    bent = drive * 0.25 * np.sin(2.0 * np.pi * t)
    bent /= np.sqrt(1.0 + bent**2)
    wanted = [2.0 * np.mean(bent * np.sin(2.0 * np.pi * k * t)) for k in (1, 3, 5)]
    fx = effect("saturation", curve="soft", drive=12.0, driven="fixed")
    wave = through(fx, sine(100.0, 2.0, 0.25))[0]
    lines = np.abs(np.fft.rfft(wave[-RATE:]))
    found = lines[[100, 300, 500]] / lines[100]
    assert found == pytest.approx(np.abs(wanted) / abs(wanted[0]), rel=0.01)


@pytest.mark.parametrize(
    ("kind", "params"), [("saturation", {"bias": 60, "drive": 12}), ("folder", {"lean": 60})]
)
def test_uneven_curves_add_even_partials_and_no_offset(kind: str, params: dict[str, float]) -> None:
    wave = through(effect(kind, **params), sine(100.0, 6.0, 0.3))[0][-RATE:]
    lines = np.abs(np.fft.rfft(wave))
    assert decibels(lines[200] / lines[100]) > -40.0
    assert decibels(abs(wave.mean()) / wave.std()) < -60.0


def test_four_times_the_rate_and_back_is_late_and_nothing_else() -> None:
    """Latency to the sample; flat within 0.02 dB up to 18 kHz."""
    kept = state()
    given = noise(1.0)[0]
    rows, back = np.empty((ROWS, len(given)), np.float32), np.empty_like(given)
    up(given, NEAR_TAPS, FAR_TAPS, kept["up_near"][0], kept["up_far"][0], rows)
    down(rows, NEAR_TAPS, FAR_TAPS, kept["down_near"][0], kept["down_far"][0], kept["waiting"][0],
         back)  # fmt: skip
    shifted = np.fft.rfft(back[LATENCY:-1_000]) / np.fft.rfft(given[: len(back) - LATENCY - 1_000])
    hertz = np.arange(len(shifted)) * RATE / (2 * len(shifted) - 2)
    # The ends of the stretch differ: the median tells.
    inside = (hertz > 50.0) & (hertz < 18_000.0)
    assert np.median(np.abs(decibels(np.abs(shifted[inside])))) < 0.02
    assert np.median(np.abs(np.angle(shifted[inside]))) < 2e-3


def test_a_straight_mix_stays_straight() -> None:
    """Without the bent wave only the latency is left."""
    given = 0.2 * noise(1.0)
    fx = effect("saturation", mix=0.0)
    heard = through(fx, given)
    late = fx.latency()
    sine_in = sine(3_000.0, 1.0, 0.5)
    wave = through(effect("saturation", mix=0.0), sine_in)[0]
    assert decibels(wave[RATE // 2 :].std() / sine_in[0].std()) == pytest.approx(0.0, abs=0.05)
    lag = np.correlate(heard[0, 1_000:9_000], given[0, 1_000 - 60 : 9_000 - 60], "same")
    assert abs(lag.argmax() - 4_000 - (late - 60)) <= 1


@pytest.mark.parametrize("bits", [2.0, 4.0, 8.0])
def test_bits_make_the_noise_of_their_steps(bits: float) -> None:
    """A full-scale sine stands 6.02 bits + 1.76 dB over its quantisation noise (textbook)."""
    given = sine(997.0, 2.0, 1.0)
    heard = through(effect("reduction", bits=bits, samples=44_100.0, mix=100.0), given)
    # Samples are held at 44.1 kHz; compare at places where one has just been taken.
    step = 2.0 ** (1.0 - bits)
    assert np.abs(np.round(heard / step) * step - heard).max() < 1e-6
    if bits >= 4.0:
        levels = np.unique(np.round(heard[0] / step))
        assert len(levels) == pytest.approx(2.0**bits, abs=2.0)


@pytest.mark.parametrize("samples", [500.0, 3_000.0, 11_025.0])
def test_samples_are_taken_as_often_as_it_says(samples: float) -> None:
    heard = through(effect("reduction", bits=16.0, samples=samples), noise(2.0))[0]
    changes = np.count_nonzero(np.diff(heard[:RATE]))
    assert changes == pytest.approx(samples, rel=0.01)


def test_images_mirror_the_spectrum() -> None:
    """A 1 kHz sine held at 8 kHz has images at 7 and 9 kHz (textbook)."""
    heard = through(effect("reduction", bits=16.0, samples=8_000.0), sine(1_000.0, 2.0, 0.5))[0]
    lines = np.abs(np.fft.rfft(heard[-RATE:] * np.hanning(RATE)))
    for hertz in (7_000, 9_000):
        # A hold falls as sin(x)/x.
        x = np.pi * hertz / 8_000.0
        first = np.pi / 8.0
        wanted = decibels(abs(math.sin(x) / x) / (math.sin(first) / first))
        assert decibels(lines[hertz] / lines[1_000]) == pytest.approx(wanted, abs=1.0)
