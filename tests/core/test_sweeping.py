"""What sways: phaser, flanger, ensemble, tremolo, auto-pan; ring modulator, frequency shifter."""

from __future__ import annotations

import math

import numpy as np
import pytest
import scipy.ndimage
import scipy.signal

from caligo.engine.render.engine import RATES
from caligo.signal.quadrature import STAGES, coefficients, split
from tests.core.builders import RATE, decibels
from tests.core.effects import effect, impulse, noise, sine, through


def spectrum(wave: np.ndarray, rate: int = RATE) -> np.ndarray:
    """Levels of the last second's lines, a hertz apart ``[lines]``."""
    found: np.ndarray = np.abs(np.fft.rfft(wave[-rate:] * np.blackman(rate))) / (0.21 * rate)
    return found


@pytest.mark.parametrize("stages", [2, 4, 8])
def test_a_resting_phaser_has_a_notch_for_two_stages(stages: int) -> None:
    """Notches lie where the chain turns by odd multiples of half a turn (textbook)."""
    fx = effect("phaser", stages=stages, depth=0.0, feedback=0.0, centre=1_000.0, mix=50.0)
    response = np.abs(np.fft.rfft(through(fx, impulse(1.0))[0], RATE))
    # n stages turn by 2 n atan(f / fc) after the bilinear transform.
    odd = np.arange(1, stages, 2) * np.pi / (2.0 * stages)
    wanted = np.arctan(np.tan(odd) * math.tan(np.pi * 1_000.0 / RATE)) * RATE / np.pi
    assert len(wanted) == stages // 2
    for hertz in wanted:
        near = response[round(hertz) - 30 : round(hertz) + 31]
        assert decibels(near.min()) < -35.0
        assert abs(near.argmin() - 30) <= 2


def test_the_phaser_sways_as_far_and_as_fast_as_it_says() -> None:
    """Its two-stage notch goes from an octave below to an octave above, once a period."""
    fx = effect("phaser", stages=2, depth=1.0, feedback=0.0, centre=1_000.0, turn=0.0,
                period={"value": 4.0, "unit": "s"})  # fmt: skip
    wave = through(fx, noise(4.0))[0]
    hertz, times, power = scipy.signal.stft(wave, RATE, nperseg=2_048, noverlap=1_024)
    inside = (hertz > 300) & (hertz < 3_500)
    smooth = scipy.ndimage.uniform_filter(np.abs(power[inside]) ** 2, (3, 12))
    notch = hertz[inside][smooth.argmin(axis=0)]
    octaves = np.log2(notch / 1_000.0)
    wanted = np.sin(2.0 * np.pi * times / 4.0)
    assert np.median(np.abs(octaves - wanted)) < 0.15


def test_the_flangers_comb_lies_where_its_time_says() -> None:
    """A copy 2 ms late cancels at 250 Hz and every 500 Hz further (textbook)."""
    fx = effect("flanger", delay=2.0, depth=0.0, feedback=0.0, mix=50.0)
    response = np.abs(np.fft.rfft(through(fx, impulse(1.0))[0], RATE))
    peaks = response[np.arange(500, 8_000, 500)]
    gaps = response[np.arange(250, 8_000, 500)]
    assert decibels(gaps.max() / peaks.min()) < -35.0


@pytest.mark.parametrize("feedback", [-90.0, 0.0, 90.0])
def test_noise_keeps_its_level_in_the_flanger(feedback: float) -> None:
    given = noise(4.0)
    heard = through(effect("flanger", feedback=feedback), given)
    lows = scipy.signal.butter(4, 6_000.0, fs=RATE, output="sos")
    one, two = (scipy.signal.sosfilt(lows, x)[:, RATE:].std() for x in (heard, given))
    assert abs(decibels(one / two)) < 1.5


@pytest.mark.parametrize("mix", [30.0, 70.0, 100.0])
def test_noise_keeps_its_level_in_the_ensemble(mix: float) -> None:
    given = noise(4.0)
    heard = through(effect("ensemble", mix=mix), given)
    lows = scipy.signal.butter(4, 6_000.0, fs=RATE, output="sos")
    one, two = (scipy.signal.sosfilt(lows, x)[:, RATE:].std() for x in (heard, given))
    assert abs(decibels(one / two)) < 1.0


def test_the_ensemble_widens_what_is_the_same_on_both_sides() -> None:
    given = np.repeat(noise(4.0)[:1], 2, axis=0)
    wide = through(effect("ensemble", width=100.0), given)[:, RATE:]
    narrow = through(effect("ensemble", width=0.0), given)[:, RATE:]
    assert np.corrcoef(wide)[0, 1] < 0.75
    assert np.corrcoef(narrow)[0, 1] > 0.999


@pytest.mark.parametrize(("period", "unit", "hertz"), [(0.5, "s", 2.0), (1.0, "beats", 2.0)])
def test_a_quarter_at_120_is_two_hertz(period: float, unit: str, hertz: float) -> None:
    """Side bands of the tremolo's wave; common practice."""
    fx = effect("tremolo", period={"value": period, "unit": unit}, depth=100.0)
    # All are whole numbers of hertz, so that a second needs no window.
    lines = np.abs(np.fft.rfft(through(fx, sine(1_000.0, 2.0, 0.5))[0, -RATE:]))
    # A wave of depth 1 goes 0.5 (1 + cos): each side band is half as strong as the carrier.
    side = decibels(lines[1_000 + round(hertz)] / lines[1_000])
    assert side == pytest.approx(-6.02, abs=0.1)


@pytest.mark.parametrize("depth", [30.0, 100.0])
def test_tremolo_and_pan_keep_the_loudness(depth: float) -> None:
    given = noise(8.0)
    for kind in ("tremolo", "auto_pan"):
        fx = effect(kind, depth=depth, period={"value": 2.0, "unit": "s"})
        heard = through(fx, given)
        assert abs(decibels(heard.std() / given.std())) < 0.1, kind


def test_the_auto_pan_goes_from_side_to_side_at_constant_power() -> None:
    """Mono: all on the right after a quarter, all on the left after three (equal-power law)."""
    given = np.repeat(noise(4.0)[:1], 2, axis=0)
    fx = effect("auto_pan", depth=100.0, period={"value": 4.0, "unit": "s"})
    heard = through(fx, given)
    power = (heard**2).reshape(2, -1, 960).mean(axis=2)
    whole = (given**2).reshape(2, -1, 960).mean(axis=2).sum(axis=0)
    assert decibels(power.sum(axis=0) / whole) == pytest.approx(np.zeros(200), abs=0.1)
    share = power[0] / power.sum(axis=0)
    assert share[50] < 0.01
    assert share[149] > 0.99


@pytest.mark.parametrize("hertz", [30.0, 440.0, 3_700.0])
def test_the_ring_modulator_makes_sum_and_difference_only(hertz: float) -> None:
    """``sin a sin b = (cos(a - b) - cos(a + b)) / 2``; the carrier and the pitch are gone."""
    fx = effect("ring_modulator", frequency=hertz, mix=100.0)
    lines = spectrum(through(fx, sine(1_000.0, 2.0, 0.5))[0])
    for line in (1_000 + hertz, abs(1_000 - hertz)):
        assert lines[round(line)] == pytest.approx(0.5 * math.sqrt(0.5), rel=0.02)
    for line in (1_000, hertz):
        assert decibels(lines[round(line)]) < -80.0


def folded(high: float, hertz: float, rate: int) -> float:
    """What a ring modulator leaves below 18 kHz beside the difference, in dB against it."""
    fx = effect("ring_modulator", frequency=hertz, mix=50.0, rate=rate)
    lines = spectrum(through(fx, sine(high, 2.0, 0.5, rate))[0], rate)
    difference = lines[round(high - hertz)]
    assert difference == pytest.approx(0.25 * math.sqrt(0.5), rel=0.03)
    rest = lines[:18_000].copy()
    for line in (high - hertz, high):
        rest[max(0, round(line) - 40) : round(line) + 40] = 0.0
    return float(decibels(rest[20:].max() / difference))


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize(("high", "hertz"), [(17_000.0, 8_000.0), (18_300.0, 6_123.0)])
def test_a_sum_above_the_band_is_gone_instead_of_folded(
    high: float, hertz: float, rate: int
) -> None:
    assert folded(high, hertz, rate) < -80.0


def test_the_direct_signal_of_a_ring_modulator_is_untouched() -> None:
    """It waits for what is modulated, and otherwise stays bit for bit."""
    given = noise(1.0)
    fx = effect("ring_modulator", mix=0.0)
    late = fx.latency()
    assert np.array_equal(through(fx, given)[:, late:], given[:, :-late])


def test_a_ring_at_the_pitch_leaves_no_offset() -> None:
    heard = through(effect("ring_modulator", frequency=500.0, mix=100.0), sine(500.0, 4.0, 0.5))
    assert abs(heard[0, -RATE:].mean()) < 1e-3


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("hertz", [60.0, 1_000.0, 15_000.0])
@pytest.mark.parametrize("shift", [-37.0, 250.0])
def test_the_shifters_image_is_80_db_down(shift: float, hertz: float, rate: int) -> None:
    fx = effect("frequency_shifter", shift=shift, rate=rate)
    lines = spectrum(through(fx, sine(hertz, 3.0, 0.5, rate))[0], rate)
    assert lines[round(hertz + shift)] == pytest.approx(0.5, rel=0.01)
    assert decibels(lines[round(abs(hertz - shift))] / 0.5) < -80.0
    assert decibels(lines[round(hertz)] / 0.5) < -80.0


def test_the_chains_lie_a_quarter_of_a_cycle_apart() -> None:
    """All-passes, and 90 degrees between them from 40 Hz to 20 kHz."""
    given = impulse(2.0)
    real, turned = np.empty(given.shape), np.empty(given.shape)
    split(given, coefficients(RATE), real, turned, np.zeros((2, STAGES)))
    one, two = np.fft.rfft(real[1]), np.fft.rfft(turned[1])
    hertz = np.arange(len(one)) * RATE / given.shape[1]
    inside = (hertz > 40.0) & (hertz < 20_000.0)
    assert np.abs(np.abs(one[inside]) - 1.0).max() < 1e-3
    apart = np.degrees(np.angle(two[inside] / one[inside]))
    assert np.abs(np.abs(apart) - 90.0).max() < 0.01


@pytest.mark.parametrize("kind", ["frequency_shifter", "phaser"])
def test_what_turns_phases_turns_them_alike_at_every_rate(kind: str) -> None:
    """Half shifted or turned, half direct: where they meet is a matter of hertz, not of samples."""
    lines = np.unique(np.geomspace(100, 8_000, 200).astype(int))  # halves of a hertz
    more = {"shift": 0.0} if kind == "frequency_shifter" else {"depth": 0.0, "feedback": 80.0}
    found = []
    for rate in RATES:
        fx = effect(kind, mix=50.0, rate=rate, **more)
        heard = through(fx, impulse(2.0, rate))[0]
        spectrum_of = np.abs(np.fft.rfft(heard.astype(np.float64)[: 2 * rate], 2 * rate))
        found.append(decibels(np.maximum(spectrum_of[lines], 0.2)))
    assert np.ptp(found, axis=0).max() < 1.0
    assert np.ptp(found[0]) > 6.0


def test_opposed_sides_are_shifted_both_ways() -> None:
    fx = effect("frequency_shifter", shift=100.0, opposed=True)
    heard = through(fx, sine(1_000.0, 2.0, 0.5))
    assert spectrum(heard[0])[1_100] == pytest.approx(0.5, rel=0.01)
    assert spectrum(heard[1])[900] == pytest.approx(0.5, rel=0.01)
