"""Live grains: grains of what plays against windows added up by hand, pitch, freeze, loops."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.engine.render.engine import RATES
from caligo.processing.grains_of_ring import SPARSE
from caligo.signal.ring_pyramid import NEWEST
from tests.core.builders import RATE, decibels, heard_pitch
from tests.core.effects import effect, noise, sine, through

PLAIN: dict[str, Any] = {
    "position_scatter": 0.0, "time_scatter": 0.0, "size_scatter": 0.0, "level_scatter": 0.0,
    "pan_scatter": 0.0, "mix": 100.0,
}  # fmt: skip
"""No grain differs from another, and nothing else is heard."""
DENSE = PLAIN | {"density": 80.0, "size": 0.1, "position_scatter": 0.2, "time_scatter": 60.0}


def windows(count: int, density: float, size: float, rate: int) -> np.ndarray:
    """Raised cosines of `size` seconds that begin `density` times a second, added ``[count]``."""
    found, t = np.zeros(count), np.arange(count) / rate
    for onset in np.arange(0.0, count / rate, 1.0 / density):
        x = (t - onset) / size
        inside = (x >= 0.0) & (x < 1.0)
        found[inside] += 0.5 - 0.5 * np.cos(2.0 * np.pi * x[inside])
    return found


def overlapped(
    given: np.ndarray, density: float, size: float, position: float, rate: int
) -> np.ndarray:
    """Overlap-add of windows of `given` ``[2, samples]``, as loud as it is.

    Source: overlap-add of windowed frames (textbook).
    """
    late, count = round(position * rate), given.shape[1]
    found = np.zeros((2, count))
    found[:, late:] = given[:, : count - late]
    # The mean of so many windows one upon another is made up for, as long as there are so many.
    power, level = 0.375 * density * size, 0.5 * density * size
    return found * windows(count, density, size, rate) / np.sqrt(max(power, level**2, SPARSE))


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize(("density", "size"), [(7.3, 0.1), (31.0, 0.21), (4.0, 0.5)])
def test_without_scatter_it_is_overlap_add(rate: int, density: float, size: float) -> None:
    fx = effect("live_grains", rate=rate, density=density, size=size, position=0.25, **PLAIN)
    given = noise(2.0, rate=rate)
    expected = overlapped(given, density, size, 0.25, rate)
    off = np.abs(through(fx, given) - expected).max()
    assert decibels(off / np.abs(expected).max()) < -90


@pytest.mark.parametrize("semitones", [-24.0, -11.3, -0.4, 3.7, 7.0, 12.0, 18.6, 24.0])
@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_grains_are_transposed(rate: int, semitones: float) -> None:
    # A grain every other second: where several meet, their phases differ.
    fx = effect("live_grains", rate=rate, pitch=semitones, density=0.5, size=1.0, **PLAIN)
    heard = through(fx, sine(440.0, 6.0, 0.2, rate))[0, round(4.25 * rate) :][: rate // 2]
    expected = 440.0 * 2.0 ** (semitones / 12.0)
    found = heard_pitch(heard, rate, 0.8 * expected, 1.3 * expected)
    assert abs(1_200.0 * np.log2(found / expected)) < 0.5


@pytest.mark.parametrize("semitones", [7.5, 12.0, 19.0, 24.0])
def test_what_is_shifted_up_does_not_fold(semitones: float) -> None:
    """A sine that has no place above the band is gone, on a ring of half or a quarter the rate."""
    fx = effect("live_grains", pitch=semitones, density=10.0, size=0.5, **PLAIN)
    heard = through(fx, sine(16_500.0, 4.0, 0.2))[:, 2 * RATE :]
    assert decibels(heard.std() / (0.2 / np.sqrt(2.0))) < -60


def test_backwards_is_backwards() -> None:
    """One grain of all of them runs backwards: what came last comes first."""
    given = noise(3.0)
    fx = effect("live_grains", position=0.0, density=0.5, size=0.2, reverse=100.0, **PLAIN)
    heard = through(fx, given)[0]
    begin = 2 * RATE
    piece = heard[begin : begin + RATE // 5]
    newest = begin - NEWEST
    source = given[0, newest - len(piece) + 1 : newest + 1][::-1] * np.hanning(len(piece))
    assert np.corrcoef(piece, source)[0, 1] > 0.999


def test_frozen_it_goes_on_for_ever_and_listens_no_more() -> None:
    given = noise(8.0)
    given[:, 2 * RATE :] = 0.0
    still = through(effect("live_grains", position=0.4, freeze=100.0, **DENSE), given)
    assert np.abs(still).max() == 0.0
    times = (0.0, 0.0), (1.5, 0.0), (1.6, 100.0), (6.0, 100.0), (6.1, 0.0)
    lane = {"id": "hold", "to": "master.fx.freeze",
            "points": [{"time": time, "value": value} for time, value in times]}  # fmt: skip
    heard = through(effect("live_grains", lanes=[lane], position=0.4, **DENSE), given)
    level = [decibels(heard[:, round(t * RATE) : round((t + 1.0) * RATE)].std()) for t in (2, 3, 4)]
    assert max(level) - min(level) < 2.0
    assert min(level) > -30.0
    assert np.abs(heard[:, 7 * RATE :]).max() < 1e-4


@pytest.mark.parametrize(
    ("density", "size"),
    [(2.0, 1.0), (9.0, 0.25), (9.0, 1.0), (40.0, 0.25), (200.0, 0.02), (200.0, 1.0)],
)
def test_dense_clouds_are_as_loud_as_what_they_are_made_of(density: float, size: float) -> None:
    own = DENSE | {"density": density, "size": size, "position_scatter": 3.0}
    given = noise(14.0)
    heard = through(effect("live_grains", **own), given)[:, 5 * RATE :]
    assert decibels(heard.std() / given.std()) == pytest.approx(0.0, abs=1.5)


@pytest.mark.parametrize("feedback", [60.0, 100.0])
def test_fed_back_it_stays_bounded(feedback: float) -> None:
    fx = effect("live_grains", **DENSE | {"position_scatter": 0.0, "time_scatter": 0.0},
                feedback=feedback, pitch=5.0)  # fmt: skip
    given = noise(20.0, 0.5)
    heard = through(fx, given)
    assert np.isfinite(heard).all()
    assert np.abs(heard).max() < 8.0


def test_both_sides_stay_apart_and_scatter_parts_them() -> None:
    given = noise(3.0)
    given[1] = 0.0
    heard = through(effect("live_grains", **DENSE), given)
    assert np.abs(heard[1]).max() == 0.0
    both = np.repeat(noise(6.0)[:1], 2, axis=0)
    wide = through(effect("live_grains", **DENSE | {"pan_scatter": 100.0}), both)[:, RATE:]
    assert np.corrcoef(wide)[0, 1] < 0.9
    level = decibels(wide.std(axis=1))
    assert abs(level[0] - level[1]) < 1.5


@pytest.mark.parametrize("mix", [0.0, 25.0, 50.0, 80.0])
def test_mixed_in_it_is_as_loud(mix: float) -> None:
    given = noise(6.0)
    heard = through(effect("live_grains", **DENSE | {"mix": mix}), given)[:, RATE:]
    assert decibels(heard.std() / given.std()) == pytest.approx(0.0, abs=0.7)
