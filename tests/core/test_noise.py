"""The noise source: slopes, dust, width, and that it is the same wherever it begins."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyloudnorm
import pytest
from scipy.signal import welch

from caligo.engine.render.offline import render_array
from caligo.sources.noise import poisson
from caligo.synthesis.source import VOICE_RMS
from tests.core.builders import RATE, layer_of, one_note, plain_sound
from tests.sweeps import widest


def noise(seconds: float = 8.0, **params: Any) -> np.ndarray:
    """One note of noise ``[2, samples]``."""
    return render_array(plain_sound(layer_of("noise", **params)), one_note(60, seconds))


@pytest.mark.parametrize("tilt", [-6, -3, 0, 3, 6])
def test_the_slope_is_what_the_tilt_says(tilt: float) -> None:
    """White is level, pink falls by 3 dB and brown by 6 dB per octave (by definition)."""
    hertz, power = welch(noise(tilt=tilt)[0], RATE, nperseg=4096)
    bands = [100 * 2.0**k for k in range(8)]
    levels = [
        10 * np.log10(power[(hertz > b * 2**-0.25) & (hertz < b * 2**0.25)].mean()) for b in bands
    ]
    assert np.polyfit(range(8), levels, 1)[0] == pytest.approx(tilt, abs=0.15)


@pytest.mark.parametrize(("tilt", "kept"), [(-3, 0.98), (0, 0.93), (6, 0.79)])
def test_the_level_does_not_depend_on_the_tilt(tilt: float, kept: float) -> None:
    """But for the share of it that would lie above 20 kHz, where there is none."""
    assert noise(tilt=tilt).std() == pytest.approx(kept * VOICE_RMS, rel=0.05)


@pytest.mark.parametrize(
    "params", widest([{"tilt": 6}, {"dust": 100}, {"tilt": -6}, {"tilt": 0}], 2)
)
def test_noise_is_as_loud_and_as_bright_at_every_rate(params: dict[str, float]) -> None:
    """Within 0.5 LU by `pyloudnorm` and 3 % of the density from 200 Hz to 16 kHz by Welch."""
    found = []
    sound = plain_sound(layer_of("noise", **params))
    for rate in (44_100, 48_000, 96_000):
        heard = render_array(sound, one_note(60, 16.0), rate=rate).astype(np.float64)
        hertz, power = welch(heard, rate, nperseg=rate // 20)
        audible = (hertz > 200.0) & (hertz < 16_000.0)
        power = power.mean(axis=0)[audible]
        centroid = float((power * hertz[audible]).sum() / power.sum())
        found.append((pyloudnorm.Meter(rate).integrated_loudness(heard.T), centroid))
    loudness, centroids = zip(*found, strict=True)
    assert np.ptp(loudness) < 0.5
    assert max(centroids) / min(centroids) < 1.03


@pytest.mark.parametrize(("width", "correlation"), [(0, 1.0), (50, np.sqrt(0.5)), (100, 0.0)])
def test_width_sets_the_correlation(width: float, correlation: float) -> None:
    """Of c·a + s·b and c·a − s·b it is c² − s² = cos 2φ, with φ half a right angle at 100 %."""
    assert np.corrcoef(noise(width=width))[0, 1] == pytest.approx(correlation, abs=0.02)


def test_dust_falls_as_often_as_its_rate_says() -> None:
    """Poisson: over 60 s at 12 Hz, 720 impulses give or take three times the root of it."""
    signal = noise(60.0, tilt=0, dust=100, dust_rate=12, dust_range=0, width=0)[0]
    loud = np.flatnonzero(np.abs(signal) > 0.5 * np.abs(signal).max())
    count = 1 + np.count_nonzero(np.diff(loud) > 8)
    assert abs(count - 720) < 3 * np.sqrt(720)


def test_gaps_between_impulses_spread_as_chance_does() -> None:
    """Gaps of a Poisson process are exponential: their deviation equals their mean."""
    signal = noise(60.0, tilt=0, dust=100, dust_rate=20, dust_range=0, width=0)[0]
    loud = np.flatnonzero(np.abs(signal) > 0.5 * np.abs(signal).max())
    gaps = np.diff(loud[np.concatenate([[True], np.diff(loud) > 8])])
    assert gaps.std() / gaps.mean() == pytest.approx(1.0, abs=0.12)


def test_poisson_draws_have_their_mean() -> None:
    draws = [poisson.called((i + 0.5) / 4000, 1.7) for i in range(4000)]
    assert np.mean(draws) == pytest.approx(1.7, abs=0.01)
    assert np.var(draws) == pytest.approx(1.7, abs=0.05)


def test_noise_begins_anywhere_and_in_any_blocks() -> None:
    sound = plain_sound(
        layer_of("noise", tilt=-4, dust=40),
        modulators=[{"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 2}}}],
        routes=[{"id": "r", "from": "m", "to": "ground.source.tilt", "depth": 3}],
    )
    whole = render_array(sound, one_note(60, 3.0))
    np.testing.assert_array_equal(
        whole, render_array(sound, one_note(60, 3.0), block=192, ahead=False)
    )
    # Cells of time that dust is drawn for do not fall on ticks at this rate.
    odd = [
        render_array(sound, one_note(60, 3.0), rate=44_100, block=b, ahead=False)
        for b in (64, 8_192)
    ]
    np.testing.assert_array_equal(*odd)
    later = render_array(sound, one_note(60, 3.0), start=1.3)
    np.testing.assert_allclose(later, whole[:, -later.shape[1] :], atol=1e-6)


def test_two_notes_do_not_share_their_noise() -> None:
    low, high = (
        render_array(plain_sound(layer_of("noise")), one_note(key, 4.0))[0] for key in (50, 55)
    )
    assert abs(np.corrcoef(low, high)[0, 1]) < 0.03


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_dust_falls_at_the_same_moments_at_every_rate(rate: int) -> None:
    """A tenth of a second at a time, the same impulses are heard, within 1 dB."""
    sound = plain_sound(layer_of("noise", tilt=0, dust=100, dust_rate=12))
    energies = []
    for r in (48_000, rate):
        heard = render_array(sound, one_note(60, 12.0), rate=r)[0].astype(np.float64)
        tenths = heard[: r // 10 * 115].reshape(115, r // 10)
        energies.append((tenths**2).sum(axis=1) / r)
    loud = energies[0] > 0.01 * energies[0].max()
    assert loud.sum() > 30
    assert 10 * np.log10(energies[1][loud] / energies[0][loud]) == pytest.approx(0.0, abs=1.0)
