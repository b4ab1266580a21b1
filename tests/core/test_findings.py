"""What stands out: resonances, mud, rumble and harshness, made on purpose and answered.

Signals and the answering band are made here, with numpy, scipy and the Audio EQ Cookbook's peaking
filter; what counts as mud or harshness is common practice, by how much is the module's own choice.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
import scipy.signal
import scipy.stats

from caligo.document import Sound, read_sound
from caligo.engine.render.offline import render_array
from caligo.engine.views.long_view import Summary, fine
from caligo.measure.findings import Finding, _expected, findings
from caligo.measure.spectrogram import SpectrogramStream
from tests.core.builders import RATE, one_note, plain_layer, plain_sound
from tests.sweeps import widest

SECONDS = 12
LOWEST = 55.0


def picture(signal: np.ndarray) -> np.ndarray:
    stream = SpectrogramStream(RATE, 0.1)
    both = np.stack([signal, signal]).astype(np.float32)
    return np.array([*stream.add(both), *stream.finish()], np.uint8)


def found(signal: np.ndarray, played: tuple[float, ...] = (LOWEST,)) -> list[Finding]:
    return findings(picture(signal), played)


def partials(level: Callable[[float], float]) -> np.ndarray:
    """Partials of 55 Hz up to 6 kHz, 6 dB softer per octave but for `level` in dB by hertz."""
    times = np.arange(SECONDS * RATE) / RATE
    rng = np.random.default_rng(1)
    out = 1e-5 * rng.standard_normal(len(times))
    for number in range(1, 110):
        hertz = number * LOWEST
        strength = 0.1 / number * 10.0 ** (level(hertz) / 20.0)
        out += strength * np.sin(2.0 * np.pi * (hertz * times + rng.uniform()))
    return out


def noise(slope: float) -> np.ndarray:
    """Noise whose power changes by so many dB per octave, white at 0."""
    rng = np.random.default_rng(2)
    spectrum = np.fft.rfft(rng.standard_normal(SECONDS * RATE))
    hertz = np.maximum(np.fft.rfftfreq(SECONDS * RATE, 1.0 / RATE), 10.0)
    shaped = np.fft.irfft(spectrum * (hertz / 1_000.0) ** (slope / 6.02))
    return 0.05 * shaped / shaped.std()


def bell(signal: np.ndarray, band: Finding) -> np.ndarray:
    """Audio EQ Cookbook, peaking EQ, with the bandwidth in octaves of an analogue filter."""
    w = 2.0 * math.pi * band.hertz / RATE
    alpha = math.sin(w) * math.sinh(0.5 * math.log(2.0) * band.width * w / math.sin(w))
    a = 10.0 ** (band.gain / 40.0)
    b = [1.0 + alpha * a, -2.0 * math.cos(w), 1.0 - alpha * a]
    return scipy.signal.lfilter(b, [1.0 + alpha / a, -2.0 * math.cos(w), 1.0 - alpha / a], signal)


@pytest.mark.parametrize("hertz", widest([880.0, 330.0, 3_080.0], 1))
def test_a_resonance_is_found_and_its_band_takes_it_away(hertz: float) -> None:
    def level(here: float) -> float:
        return 16.0 if abs(math.log2(here / hertz)) < 0.03 else 0.0

    signal = partials(level)
    peak = next(one for one in found(signal) if one.kind == "peak")
    assert peak.hertz == pytest.approx(hertz, rel=0.02)  # a row is 2.9 % wide
    assert peak.excess == pytest.approx(16.0, abs=3.0)
    assert peak.fraction > 0.9
    assert f"{peak.hertz:.0f} Hz" in peak.text
    after = found(bell(signal, peak))
    assert not any(one.kind == "peak" and abs(one.hertz / hertz - 1) < 0.03 for one in after)


def test_the_line_through_neighbours_is_scipys() -> None:
    rng = np.random.default_rng(3)
    for count in (4, 5, 9):
        octaves, levels = np.sort(rng.uniform(5.0, 12.0, count)), rng.normal(size=count)
        slope, start, *_ = scipy.stats.theilslopes(levels, octaves)
        assert _expected(levels, octaves, 8.0) == pytest.approx(start + 8.0 * slope)


def test_partials_that_fall_evenly_do_not_stand_out() -> None:
    assert found(partials(lambda hertz: 0.0)) == []


def test_the_notes_themselves_may_stand_out() -> None:
    strong = partials(lambda hertz: 14.0 if abs(hertz - 4 * LOWEST) < 1.0 else 0.0)
    assert any(one.kind == "peak" for one in found(strong))
    assert not any(one.kind == "peak" for one in found(strong, (LOWEST, 4 * LOWEST)))


def test_what_comes_and_goes_is_no_resonance() -> None:
    strong = partials(lambda hertz: 18.0 if abs(hertz - 880.0) < 1.0 else 0.0)
    plain = partials(lambda hertz: 0.0)
    half = len(plain) // 2
    mixed = np.concatenate([strong[:half], plain[half:]])
    assert not any(one.kind == "peak" for one in found(mixed))


def test_pink_noise_is_balanced_and_white_noise_harsh() -> None:
    assert found(noise(-3.01), ()) == []
    harsh = found(noise(0.0), ())
    assert [one.kind for one in harsh] == ["harshness"]
    # White noise has as much power in each hertz: 4000 Hz in 1.58 octaves, 1800 Hz in 3.32.
    expected = 10.0 * math.log10(4_000.0 / math.log2(3.0) / (1_800.0 / math.log2(10.0)))
    assert harsh[0].excess == pytest.approx(expected, abs=0.3)
    assert found(bell(noise(0.0), harsh[0]), ()) == []


def test_lower_middles_that_build_up_are_mud() -> None:
    sos = scipy.signal.butter(4, (200.0, 500.0), "bandpass", fs=RATE, output="sos")
    pink = noise(-3.01)
    muddy = found(pink + 4.0 * scipy.signal.sosfilt(sos, pink), ())
    assert [one.kind for one in muddy] == ["mud"]
    assert muddy[0].gain < -3.0
    after = found(bell(pink + 4.0 * scipy.signal.sosfilt(sos, pink), muddy[0]), ())
    assert not after or after[0].excess < muddy[0].excess - 3.0


def test_rumble_lies_under_the_lowest_note() -> None:
    sos = scipy.signal.butter(4, 60.0, fs=RATE, output="sos")
    low = scipy.signal.sosfilt(sos, noise(-6.0))
    tones = partials(lambda hertz: 6.0)
    rumbling = found(tones + 2.0 * low / low.std() * tones.std(), (110.0,))
    cut = next(one for one in rumbling if one.kind == "rumble")
    assert cut.shape == "low_cut"
    assert cut.hertz == pytest.approx(88.0)
    # A tone an octave below the notes is meant.
    assert not any(one.kind == "rumble" for one in found(tones, (110.0,)))


def test_silence_has_nothing_that_stands_out() -> None:
    assert found(np.zeros(SECONDS * RATE)) == []
    assert findings(np.zeros((1, 224), np.uint8), (LOWEST,)) == []


def test_what_the_ceiling_takes_is_told() -> None:
    """Made so loud that the ceiling has to take 9 dB, and lowered by as much as is said."""

    def made(level: float) -> Sound:
        layer = plain_layer(table="sine", level=12.0)
        layer["params"] = layer.get("params", {}) | {"level": 12.0}
        data = plain_sound(layer).as_document()
        data["master"]["params"] |= {"level": level, "ceiling": -1.0}
        return read_sound(data)

    def held(level: float) -> list[Finding]:
        parts = fine(made(level), one_note(69, 6.0))
        summary = next(part for part in parts if isinstance(part, Summary))
        return [one for one in summary.findings if one.kind == "ceiling"]

    quiet = -12.0
    peak = float(np.abs(render_array(made(quiet), one_note(69, 6.0))).max())
    assert held(quiet) == []
    # 8 dB over full scale, under a ceiling of -1: 9 dB are taken.
    over = quiet + 8.0 - 20.0 * math.log10(peak)
    (found,) = held(over)
    assert found.excess == pytest.approx(9.0, abs=0.5)
    assert found.fraction > 0.5
    assert held(over + found.gain) == []
