"""Spectral blur: nothing changed where nothing is blurred, levels kept, threshold, time."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal

from caligo.engine.render.engine import RATES
from tests.core.builders import RATE, decibels
from tests.core.effects import effect, noise, sine, through


@pytest.mark.parametrize("rate", RATES)
def test_frames_add_up_to_what_came_in(rate: int) -> None:
    """With the least blur the levels follow within a frame: scipy's own stft says how close.

    Hann's window at both ends, four over each other (Allen 1977; `scipy.signal.check_COLA`).
    """
    fx = effect("spectral_blur", blur=0.02, mix=100.0, rate=rate)
    size = fx.latency()
    hann = scipy.signal.get_window("hann", size)
    assert scipy.signal.check_COLA(hann**2, size, size * 3 // 4)
    steady = sine(440.0, 3.0, 0.3, rate)
    heard = through(fx, steady)
    late = steady[:, rate : 2 * rate]
    found = heard[:, rate + size : 2 * rate + size]
    assert decibels(np.abs(found - late).max() / 0.3) < -55.0


@pytest.mark.parametrize("blur", [0.02, 0.1, 0.5, 4.0])
def test_blur_keeps_the_level(blur: float) -> None:
    """Noise within 1 dB once the spectrum has settled, however its phases are turned."""
    seconds = 3.0 + 6.0 * blur
    given = noise(seconds)
    heard = through(effect("spectral_blur", blur=blur, mix=100.0), given)
    assert abs(decibels(heard[:, -2 * RATE :].std() / given.std())) < 1.0


@pytest.mark.parametrize("blur", [0.5, 2.0])
def test_what_stops_falls_in_the_time_of_the_blur(blur: float) -> None:
    """Powers go 63 % of the way in it: 4.3 dB each time."""
    given = np.zeros((2, int((8.0 * blur + 3.0) * RATE) // 64 * 64), np.float32)
    stop = int(6.0 * blur * RATE)
    given[:, :stop] = noise(8.0 * blur)[:, :stop]
    heard = through(effect("spectral_blur", blur=blur, mix=100.0), given)[0]
    at = [stop + int((0.3 + k * blur) * RATE) for k in (0.0, 1.0)]
    levels = [heard[a - RATE // 8 : a + RATE // 8].std() for a in at]
    assert decibels(levels[1] / levels[0]) == pytest.approx(-4.34, abs=0.7)


def test_what_is_softer_than_the_threshold_is_left_out() -> None:
    """A loud tone passes, one 40 dB below it does not; without a threshold both do."""
    given = sine(500.0, 4.0, 0.5) + sine(5_000.0, 4.0, 0.005)
    for threshold, passes in ((-96.0, True), (-30.0, False)):
        fx = effect("spectral_blur", blur=0.1, threshold=threshold, mix=100.0)
        heard = through(fx, given)[0, -RATE:]
        lines = np.abs(np.fft.rfft(heard * np.hanning(RATE))) / RATE * 4.0
        assert decibels(np.sqrt(np.sum(lines[450:551] ** 2)) / 0.5) == pytest.approx(1.76, abs=1.5)
        soft = decibels(np.sqrt(np.sum(lines[4_900:5_101] ** 2)) / 0.005)
        assert (soft > -6.0) == passes, soft
