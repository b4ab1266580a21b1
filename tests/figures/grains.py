"""Figures of live grains: overlap-add, pitch, and what folds."""

from __future__ import annotations

import itertools
import math

import numpy as np

from tests.core.builders import decibels, heard_pitch, loudest_off
from tests.core.effects import effect, noise, sine, through
from tests.core.test_echoes import saw
from tests.core.test_live_grains import PLAIN, overlapped
from tests.figures.figure import Figure

RATES = (44_100, 48_000, 96_000)
SEMITONES = (-24.0, -7.3, -0.4, 1.0, 4.6, 7.0, 8.2, 12.0, 15.7, 19.0, 24.0)


def added() -> float:
    """Decibels of what differs from windows added up by hand, under the loudest of them."""
    worst = -200.0
    for rate, density, size in itertools.product(RATES, (3.3, 17.0, 88.0), (0.05, 0.3, 1.1)):
        fx = effect("live_grains", rate=rate, density=density, size=size, position=0.31, **PLAIN)
        given = noise(2.5, rate=rate)
        expected = overlapped(given, density, size, 0.31, rate)
        off = np.abs(through(fx, given) - expected).max() / np.abs(expected).max()
        worst = max(worst, float(decibels(off)))
    return worst


def _alone(given: np.ndarray, semitones: float, rate: int) -> np.ndarray:
    """Half a second in the middle of one grain of a second ``[samples]``."""
    fx = effect("live_grains", rate=rate, pitch=semitones, density=0.5, size=1.0, position=2.0,
                **PLAIN)  # fmt: skip
    return through(fx, given)[0, round(4.25 * rate) :][: rate // 2]


def pitch() -> float:
    """Cents by which a sine is off in a grain, as Praat hears it."""
    worst = 0.0
    for rate, hertz, semitones in itertools.product(RATES, (130.8, 523.3), SEMITONES):
        wanted = hertz * 2.0 ** (semitones / 12.0)
        heard = _alone(sine(hertz, 5.0, 0.2, rate), semitones, rate)
        found = heard_pitch(heard, rate, 0.8 * wanted, 1.3 * wanted)
        worst = max(worst, 1_200.0 * abs(math.log2(found / wanted)))
    return worst


def lines() -> float:
    """The loudest line between the partials of a saw in a grain, under the loudest of them."""
    worst = -200.0
    for rate, hertz, semitones in itertools.product(RATES, (220.0, 311.1, 987.8), SEMITONES):
        made = hertz * 2.0 ** (semitones / 12.0)
        if made < 80.0:
            continue
        heard = _alone(saw(hertz, 5.0, rate), semitones, rate)
        partials = [k * made for k in range(int(0.5 * rate / made) + 1)]
        worst = max(worst, loudest_off(heard, rate, partials, 0.45 * rate))
    return worst


def folded() -> float:
    """What is left of a high sine that has no place above the band."""
    worst = -200.0
    for rate, share, semitones in itertools.product(RATES, (0.35, 0.42), (7.5, 12.0, 19.0, 24.0)):
        given = sine(share * rate, 5.0, 0.2, rate)
        worst = max(worst, float(decibels(_alone(given, semitones, rate).std() / given.std())))
    return worst


FIGURES = (
    Figure("grains-added", "Live grains: against windows added up by hand", -90.0, "dB", added),
    Figure("grains-pitch", "Live grains: a sine in a grain, -24 to 24 semitones, off by", 2.0,
           "cents", pitch),
    Figure("grains-lines", "Live grains: between the partials of a saw in a grain", -60.0, "dB",
           lines),
    Figure("grains-fold", "Live grains: what is left of what has no place above the band", -50.0,
           "dB", folded),
)  # fmt: skip
