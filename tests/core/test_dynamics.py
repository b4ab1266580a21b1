"""Compressors and limiter: static curves, times, side chain, ceiling."""

from __future__ import annotations

import numpy as np
import pytest
import soxr

from tests.core.builders import RATE, decibels
from tests.core.effects import effect, noise, sine, through


def settled(wave: np.ndarray) -> float:
    """The level of the last half second in dB, as the peak of a sine."""
    return float(decibels(np.abs(wave[0, -RATE // 2 :]).max()))


@pytest.mark.parametrize("knee", [0.0, 12.0])
@pytest.mark.parametrize("ratio", [1.0, 2.0, 4.0, 20.0])
@pytest.mark.parametrize("level", [-40.0, -27.0, -24.0, -20.0, -6.0, 0.0])
def test_the_static_curve_is_the_textbooks(level: float, ratio: float, knee: float) -> None:
    """Giannoulis, Massberg, Reiss, "Digital dynamic range compressor design" (2012), eq. 4."""
    threshold = -24.0
    over = level - threshold
    if 2.0 * over < -knee:
        wanted = level
    elif 2.0 * abs(over) <= knee and knee > 0.0:
        wanted = level + (1.0 / ratio - 1.0) * (over + knee / 2.0) ** 2 / (2.0 * knee)
    else:
        wanted = threshold + over / ratio
    fx = effect("compressor", threshold=threshold, ratio=ratio, knee=knee, attack=0.1,
                release=2_000.0)  # fmt: skip
    heard = settled(through(fx, sine(1_000.0, 3.0, 10.0 ** (level / 20.0))))
    assert heard == pytest.approx(wanted, abs=0.25)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(
    ("kind", "fraction"),
    [
        *(("compressor", x) for x in (1 / 12, 1 / 8, 1 / 6, 1 / 4, 0.29)),
        # Above where its bands meet.
        *(("band_compressor", x) for x in (1 / 6, 1 / 4, 0.29)),
    ],
)
def test_a_tone_is_as_loud_as_it_is_between_samples(kind: str, fraction: float, rate: int) -> None:
    """Whatever its phase: the static curve's 12 dB over the threshold at 4 to 1 take 9 dB."""
    t = np.arange(2 * rate // 64 * 64)
    found = []
    for phase in (0.0, 0.25, 0.5) if fraction != 0.29 else (0.0,):
        # The samples lie as far from the tops as this wave's can.
        wave = 0.251 * np.sin(2.0 * np.pi * (fraction * t + phase * fraction))
        own = {"lift_ratio": 1.0} if kind == "band_compressor" else {"knee": 0.0}
        fx = effect(kind, rate=rate, threshold=-24.0, ratio=4.0, attack=0.5, release=2_000.0, **own)
        given = np.repeat(wave[None], 2, axis=0).astype(np.float32)
        heard = through(fx, given)[0, -rate // 2 :]
        found.append(float(decibels(heard.std() / wave.std())))
    assert found == pytest.approx([-9.0] * len(found), abs=0.2 if kind == "compressor" else 0.5)


@pytest.mark.parametrize("attack", [5.0, 50.0])
@pytest.mark.parametrize("release", [100.0, 1_000.0])
def test_times_are_those_of_63_per_cent(attack: float, release: float) -> None:
    """Of the decibels taken, after a step up and a step down (same source)."""
    steady = np.ones((2, 6 * RATE), np.float32)
    given = 0.01 * steady
    given[:, RATE : 3 * RATE] = 1.0
    fx = effect("compressor", threshold=-20.0, ratio=20.0, knee=0.0, attack=attack,
                release=release)  # fmt: skip
    taken = decibels(given[0]) - decibels(through(fx, given)[0])
    full = taken[3 * RATE - 100]
    up = np.argmax(taken[RATE:] > 0.632 * full) / RATE * 1_000.0
    assert up == pytest.approx(attack, rel=0.1)
    down = np.argmax(taken[3 * RATE :] < 0.368 * full) / RATE * 1_000.0
    # The gain lets go behind the attack's smoothing: both times add up. A step of samples has a
    # wave around it that overshoots (Gibbs).
    assert down == pytest.approx(release, rel=0.15, abs=1.35 * attack)


def test_another_signal_turns_it_down() -> None:
    """And the lows of that one do not, where they are cut."""
    given = sine(440.0, 3.0, 0.1)
    loud = sine(50.0, 3.0, 0.9)
    for cut, wanted in ((20.0, -15.0), (500.0, -1.0)):
        fx = effect("compressor", threshold=-40.0, ratio=4.0, attack=1.0, side_cut=cut)
        change = settled(through(fx, given, loud)) - settled(given)
        assert (change < wanted) == (cut == 20.0), cut
    alone = effect("compressor", threshold=-10.0, ratio=4.0)
    assert settled(through(alone, given)) == pytest.approx(settled(given), abs=0.01)


@pytest.mark.parametrize("gain", [0.0, 12.0, 36.0])
def test_the_limiter_holds_true_peaks(gain: float) -> None:
    """By 16-times `soxr`, which shares nothing with it: noise, steps and a full-band burst."""
    rng = np.random.default_rng(2)
    given = noise(2.0, 0.5)
    given[:, RATE // 2 : RATE] = np.sign(rng.standard_normal((2, RATE // 2)))
    given[:, RATE : RATE + 4_000] = 1.0
    heard = through(effect("limiter", gain=gain, ceiling=-6.0), given)
    peak = max(np.abs(soxr.resample(side.astype(float), RATE, 16 * RATE)).max() for side in heard)
    assert decibels(peak) <= -5.95
    if gain == 36.0:
        assert decibels(peak) > -8.0


def test_in_bands_what_is_soft_is_lifted_and_what_is_loud_turned_down() -> None:
    """A loud low tone and a soft high one come closer; the loud one alone would hide it."""
    given = sine(80.0, 4.0, 0.5) + sine(6_000.0, 4.0, 0.003)
    fx = effect("band_compressor", threshold=-24.0, ratio=4.0, floor=-40.0, lift_ratio=2.0)
    heard = through(fx, given)[0, -RATE:]
    lines = np.abs(np.fft.rfft(heard * np.hanning(RATE))) / RATE * 4.0
    low, high = decibels(lines[80]), decibels(lines[6_000])
    assert low == pytest.approx(-24.0 + (-6.0 + 24.0) / 4.0, abs=1.5)
    assert high == pytest.approx(-40.0 + (-50.5 + 40.0) / 2.0, abs=1.5)


def test_in_bands_silence_stays_silent() -> None:
    """Lifting has an end: noise at -100 dBFS is not pulled up."""
    given = noise(3.0, 1e-5)
    heard = through(effect("band_compressor", lift_ratio=8.0), given)
    assert decibels(heard[:, RATE:].std() / given.std()) < 0.5


def test_bands_without_work_add_up_again() -> None:
    """Flat within 0.05 dB: Linkwitz's fourth-order crossovers sum to an all-pass."""
    for fx in (effect("band_compressor", ratio=1.0, lift_ratio=1.0), effect("multiband")):
        given = np.zeros((2, RATE), np.float32)
        given[:, 0] = 0.5
        lines = decibels(np.abs(np.fft.rfft(through(fx, given)[0])) / 0.5)
        assert np.abs(lines[20:20_000]).max() < 0.05
