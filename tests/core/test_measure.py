"""Measures against EBU Tech 3341 and 3342, BS.1770-4, pyloudnorm and plain arithmetic."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest
import scipy.signal
import soundfile

from caligo.measure.loudness import LoudnessMeter, k_weighting
from caligo.measure.panorama import (
    CENTRES,
    OCTAVES,
    PLACES,
    correlations,
    image_of,
    widths,
)
from caligo.measure.report import UnreadableAudio, measure_file
from caligo.measure.spectrogram import (
    ROWS,
    SpectrogramStream,
    column,
    row_edges,
    spectra_around,
    spectra_for_end,
)
from caligo.measure.stereo import stereo_image
from caligo.measure.true_peak import true_peak
from tests.core.builders import RATE


def sine(hertz: float, dbfs: float, seconds: float, rate: int = RATE) -> np.ndarray:
    time = np.arange(round(seconds * rate)) / rate
    tone = 10 ** (dbfs / 20) * np.sin(2 * np.pi * hertz * time)
    return np.stack([tone, tone]).astype(np.float32)


def stepped(*steps: tuple[float, float]) -> np.ndarray:
    return np.concatenate([sine(1_000, level, seconds) for level, seconds in steps], axis=1)


def metered(signal: np.ndarray, rate: int = RATE) -> LoudnessMeter:
    meter = LoudnessMeter(rate)
    for piece in np.array_split(signal, 17, axis=1):
        meter.add(piece)
    return meter


def test_weighting_in_pieces_is_the_reference_filter() -> None:
    """scipy.signal.lfilter, over the whole at once."""
    noise = np.random.default_rng(5).standard_normal((2, RATE)).astype(np.float32)
    weighted = noise.astype(np.float64)
    for b, a in k_weighting(RATE):
        weighted = scipy.signal.lfilter(b, a, weighted, axis=1)
    steps = np.mean(weighted.reshape(2, 10, RATE // 10) ** 2, axis=2).sum(axis=0)
    np.testing.assert_allclose(metered(noise).powers, steps, rtol=1e-9)


def test_k_weighting_is_the_standards_table() -> None:
    """ITU-R BS.1770-4, tables 1 and 2, at 48 kHz."""
    (b, a), (b2, a2) = k_weighting(48_000)
    assert b == pytest.approx([1.53512485958697, -2.69169618940638, 1.19839281085285], abs=1e-6)
    assert a == pytest.approx([1.0, -1.69065929318241, 0.73248077421585], abs=1e-6)
    assert b2 == pytest.approx([1.0, -2.0, 1.0])
    assert a2 == pytest.approx([1.0, -1.99004745483398, 0.99007225036621], abs=1e-6)


@pytest.mark.parametrize(
    ("case", "signal", "expected"),
    [
        (1, stepped((-23.0, 20.0)), -23.0),
        (2, stepped((-33.0, 20.0)), -33.0),
        (3, stepped((-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)), -23.0),
        (4, stepped((-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)),
         -23.0),
        (5, stepped((-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)), -23.0),
    ],
)  # fmt: skip
def test_ebu_3341_integrated(case: int, signal: np.ndarray, expected: float) -> None:
    """EBU Tech 3341, table 1, cases 1 to 5, all ±0.1 LU."""
    assert metered(signal).integrated() == pytest.approx(expected, abs=0.1), case


def test_ebu_3341_momentary_and_short_term() -> None:
    """EBU Tech 3341, cases 1 and 2: M and S of a steady tone are its level, ±0.1 LU."""
    meter = metered(stepped((-23.0, 20.0)))
    assert meter.momentary()[50] == pytest.approx(-23.0, abs=0.1)
    assert meter.short_term()[50] == pytest.approx(-23.0, abs=0.1)


def test_ebu_3341_what_comes_and_goes_is_as_loud_as_it_is_on_average() -> None:
    """Cases 9 and 12 (levels and times from memory): S and M stay at -23 LUFS ±0.1 LU."""
    slow = metered(stepped(*[(-20.0, 1.34), (-30.0, 1.66)] * 5))
    assert np.array(slow.short_term()) == pytest.approx(-23.0, abs=0.1)
    assert slow.loudest_short_term() == pytest.approx(-23.0, abs=0.1)
    quick = metered(stepped(*[(-20.0, 0.18), (-30.0, 0.22)] * 25))
    assert np.array(quick.momentary()) == pytest.approx(-23.0, abs=0.1)
    assert quick.loudest_momentary() == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("number", range(20))
def test_ebu_3341_a_burst_is_as_loud_wherever_it_lies(number: int) -> None:
    """Cases 10 and 13 (from memory): tones of 3 and 0.4 s, each 0.15 and 0.02 s later."""
    silent = -200.0
    long = metered(stepped((silent, 0.15 * number), (-23.0, 3.0), (silent, 1.0)))
    assert long.loudest_short_term() == pytest.approx(-23.0, abs=0.1)
    short = metered(stepped((silent, 0.02 * number), (-23.0, 0.4), (silent, 1.0)))
    assert short.loudest_momentary() == pytest.approx(-23.0, abs=0.1)


def test_ebu_3341_the_greatest_so_far_grows_with_each_louder_burst() -> None:
    """Case 14 (from memory): bursts of 0.4 s, each a decibel louder, at places of their own."""
    meter = LoudnessMeter(RATE)
    for number in range(20):
        level = -38.0 + number
        meter.add(stepped((-200.0, 0.02 * number + 0.5), (level, 0.4), (-200.0, 1.0)))
        assert meter.loudest_momentary() == pytest.approx(level, abs=0.1)


@pytest.mark.parametrize(
    ("levels", "expected"),
    [((-20.0, -30.0), 10.0), ((-20.0, -15.0), 5.0), ((-40.0, -20.0), 20.0)],
)
def test_ebu_3342_range(levels: tuple[float, float], expected: float) -> None:
    """EBU Tech 3342, table 1, cases 1 to 3: two levels of 20 s, ±1 LU."""
    signal = stepped((levels[0], 20.0), (levels[1], 20.0))
    assert metered(signal).range() == pytest.approx(expected, abs=1.0)


def test_ebu_3342_range_with_gating() -> None:
    """EBU Tech 3342, table 1, case 4."""
    signal = stepped((-50.0, 20.0), (-35.0, 20.0), (-20.0, 20.0), (-35.0, 20.0), (-50.0, 20.0))
    assert metered(signal).range() == pytest.approx(15.0, abs=1.0)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_integrated_loudness_is_pyloudnorms(rate: int) -> None:
    """pyloudnorm as an independent implementation, on coloured noise with a swell."""
    rng = np.random.default_rng(4)
    noise = scipy.signal.lfilter([1.0], [1.0, -0.95], rng.standard_normal((2, 12 * rate)))
    signal = (0.05 * noise * np.linspace(0.05, 1.0, noise.shape[1])).astype(np.float32)
    meter = pyloudnorm.Meter(rate, filter_class="DeMan")
    wanted = meter.integrated_loudness(signal.T.astype(float))
    assert metered(signal, rate).integrated() == pytest.approx(wanted, abs=0.1)


@pytest.mark.parametrize(
    ("fraction", "phase", "amplitude", "expected"),
    [
        (4, 0.0, 0.5, -6.0),
        (4, 45.0, 0.5, -6.0),
        (6, 60.0, 0.5, -6.0),
        (8, 67.5, 0.5, -6.0),
        (4, 45.0, 1.41, 3.0),
    ],
)
def test_ebu_3341_true_peak(fraction: int, phase: float, amplitude: float, expected: float) -> None:
    """EBU Tech 3341, cases 15 to 19: sines at fs/4, fs/6, fs/8; +0.2 / -0.4 dB."""
    n = np.arange(RATE)
    tone = amplitude * np.sin(2 * np.pi * n / fraction + np.radians(phase))
    fade = np.minimum(1.0, np.minimum(n, n[::-1]) / 2_000)
    found = true_peak(np.stack([tone * fade] * 2).astype(np.float32))
    assert expected - 0.4 <= found <= expected + 0.2


def test_true_peak_does_not_depend_on_the_pieces() -> None:
    from caligo.measure.true_peak import TruePeakMeter

    rng = np.random.default_rng(6)
    signal = rng.standard_normal((2, 10_000)).astype(np.float32)
    whole, pieces = TruePeakMeter(), TruePeakMeter()
    whole.add(signal)
    for piece in np.array_split(signal, 23, axis=1):
        pieces.add(piece)
    assert pieces.peak == pytest.approx(whole.peak, rel=1e-12)


MIDDLES = np.sqrt(row_edges()[:-1] * row_edges()[1:])


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_spectrogram_shows_a_tone_where_and_as_loud_as_it_is(rate: int) -> None:
    """In the middle of a row and between two, which share its power: 3 dB less each."""
    for row in (3, 11, 27, 53, 87, 103, 119, 151, 187, 219):
        levels = column(sine(MIDDLES[row], -12.0, 3.0, rate), rate) / 255.0 * 96.0 - 96.0
        assert int(levels.argmax()) == row
        assert levels[row] == pytest.approx(-12.0, abs=1.3)
        levels = column(sine(row_edges()[row], -12.0, 3.0, rate), rate) / 255.0 * 96.0 - 96.0
        assert levels[[row - 1, row]] == pytest.approx([-15.0, -15.0], abs=1.3)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_spectrogram_shows_each_row_of_white_noise_as_loud_as_it_is(rate: int) -> None:
    """The variance that falls in a row is its part of half the rate."""
    noise = np.random.default_rng(4).normal(0.0, 0.1, (2, 60 * rate)).astype(np.float32)
    stream = SpectrogramStream(rate, 0.1)
    columns = [c for piece in np.array_split(noise, 40, axis=1) for c in stream.add(piece)]
    powers = 10.0 ** ((np.array(columns[20:], float) / 255.0 - 1.0) * 9.6)
    # A full-scale sine, 0 dB, has a variance of a half.
    wanted = 2.0 * 0.1**2 * np.diff(row_edges()) / (rate / 2.0)
    off = 10.0 * np.log10(powers.mean(axis=0) / wanted)
    # Of 60 s a row of 0.8 Hz knows its level to half a decibel.
    assert np.abs(off.reshape(-1, 8).mean(axis=1)).max() < 1.0
    assert np.abs(off).max() < 2.2


def test_a_tone_that_is_cut_off_at_the_end_is_a_line_to_the_end() -> None:
    """As loud in the last columns as before, and without a splash over the other rows."""
    stream = SpectrogramStream(RATE, 0.05)
    columns = np.array(stream.add(sine(100.0, -12.0, 4.0)) + stream.finish(), float)[:80]
    levels = columns / 255.0 * 96.0 - 96.0
    at = int(levels[40].argmax())
    assert levels[-10:, at] == pytest.approx(np.full(10, levels[40, at]), abs=2.2)
    far = np.abs(np.log2(MIDDLES / 100.0)) > 0.6
    assert levels[-10:, far].max() < levels[40, at] - 28.0


def test_what_is_high_does_not_fold_onto_the_lows() -> None:
    """The lowest rows look at a sixteenth of the rate: 3,050 Hz is 50 Hz there."""
    for hertz in (2_950.0, 3_050.0, 6_040.0, 15_031.0):
        levels = column(sine(hertz, -1.0, 3.0), RATE) / 255.0 * 96.0 - 96.0
        assert levels[MIDDLES < 120.0].max() < -78.0


def test_spectrogram_of_pink_noise_is_level() -> None:
    """Pink noise falls by 3 dB per octave, so rows of equal width in octaves are alike."""
    rng = np.random.default_rng(8)
    size = 1 << 19
    shape = np.fft.rfft(rng.standard_normal((2, size)), axis=1)
    hertz = np.fft.rfftfreq(size, 1 / RATE)
    shape[:, 1:] /= np.sqrt(hertz[1:])
    noise = np.fft.irfft(shape, axis=1)
    noise = (0.1 * noise / noise.std()).astype(np.float32)
    stream = SpectrogramStream(RATE, 0.05)
    rows = np.array(stream.add(noise) + stream.finish()).astype(float).mean(axis=0)
    high = rows[row_edges()[:-1] > 600][:-5] / 255 * 96
    slope = np.polyfit(np.arange(len(high)) * np.log2(16_000 / 27.5) / ROWS, high, 1)[0]
    assert abs(slope) < 1.0


def test_stream_gives_the_same_columns_in_any_pieces() -> None:
    rng = np.random.default_rng(9)
    signal = rng.standard_normal((2, 3 * RATE)).astype(np.float32)
    whole = SpectrogramStream(RATE, 0.1)
    columns = whole.add(signal) + whole.finish()
    pieces = SpectrogramStream(RATE, 0.1)
    cut = [c for p in np.array_split(signal, 31, axis=1) for c in pieces.add(p)] + pieces.finish()
    assert np.array_equal(columns[:30], cut[:30])
    assert len(columns) >= 30


@pytest.mark.parametrize(
    ("left", "right", "correlation", "width"),
    [(1, 1, 1.0, 0.0), (1, -1, -1.0, 2.0), (1, 0, 0.0, 1.0)],
)
def test_stereo_of_simple_cases(left: int, right: int, correlation: float, width: float) -> None:
    tone = sine(440, -6, 1.0)[0]
    image = stereo_image(np.stack([left * tone, right * tone]))
    assert image.correlation == pytest.approx(correlation, abs=1e-6)
    assert image.width == pytest.approx(width, abs=1e-6)


def test_unrelated_channels_have_width_one() -> None:
    rng = np.random.default_rng(1)
    image = stereo_image(rng.standard_normal((2, 100_000)).astype(np.float32))
    assert image.width == pytest.approx(1.0, abs=0.02)


def test_a_copy_16_ms_late_widens() -> None:
    """Common practice: a micro-delay on one side widens."""
    rng = np.random.default_rng(2)
    mono = rng.standard_normal(RATE).astype(np.float32)
    late = np.roll(mono, round(0.016 * RATE))
    assert stereo_image(np.stack([mono, late])).width > 0.9


def test_silence_and_mono_are_measured(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "silence.wav", np.zeros(RATE), RATE)
    report = measure_file(tmp_path / "silence.wav")
    assert report.integrated == -math.inf
    assert report.as_json()["integrated"] is None


def test_what_is_no_audio_is_refused(tmp_path: Path) -> None:
    (tmp_path / "text.wav").write_text("this is not audio")
    soundfile.write(tmp_path / "five.wav", np.zeros((100, 5)), RATE)
    for name in ("text.wav", "five.wav", "missing.wav"):
        with pytest.raises(UnreadableAudio, match=name):
            measure_file(tmp_path / name)


def image_at(signal: np.ndarray, rate: int = RATE) -> np.ndarray:
    return image_of(spectra_around(signal.astype(np.float32), rate), rate)


def tones(hertz: float, left: float, right: float, rate: int = RATE) -> np.ndarray:
    t = np.arange(round(0.4 * rate)) / rate
    return np.stack([left, right])[:, None] * np.sin(2.0 * np.pi * hertz * t)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("hertz", [41.2, 261.6, 997.0, 5_919.9, 13_000.0])
@pytest.mark.parametrize("share", [-1.0, -0.5, 0.0, 0.3, 1.0])
def test_a_tone_lies_in_the_panorama_where_it_is_panned(
    share: float, hertz: float, rate: int
) -> None:
    """The equal-power pan: cosine and sine of an angle up to a quarter turn (common practice)."""
    angle = (share + 1.0) * np.pi / 4.0
    image = image_at(0.5 * tones(hertz, np.cos(angle), np.sin(angle), rate), rate).astype(float)
    places = 10.0 ** ((image[:PLACES] / 255.0 - 1.0) * 96.0 / 10.0)
    middle = (places * np.linspace(-1.0, 1.0, PLACES)).sum() / places.sum()
    assert middle == pytest.approx(share, abs=0.03)
    # Half of full scale is -6 dB; shared by two sides the channels' mean is 3 dB less.
    assert 10.0 * np.log10(places.sum()) == pytest.approx(-9.03, abs=0.3)
    octave = round(np.log2(hertz / 1_000.0)) + 5
    assert int(image[PLACES : PLACES + OCTAVES].argmax()) == octave


@pytest.mark.parametrize(
    ("left", "right", "width", "correlation"), [(1, 1, 0, 1), (1, -1, 2, -1), (1, 0, 1, 0)]
)
def test_each_octave_has_a_width_and_a_correlation_of_its_own(
    left: float, right: float, width: float, correlation: float
) -> None:
    image = image_at(0.2 * (tones(125.0, left, right) + tones(2_000.0, 1.0, 1.0)))
    assert widths([image])[0, [2, 6]] == pytest.approx([width, 0.0], abs=0.01)
    assert correlations([image])[0, [2, 6]] == pytest.approx([correlation, 1.0], abs=0.01)


def test_an_octaves_width_is_that_of_the_filtered_signal() -> None:
    """Against Butterworth band-passes of `scipy.signal` and sums of their samples."""
    rng = np.random.default_rng(3)
    both = rng.standard_normal((3, 1 << 18))
    signal = 0.1 * np.stack([both[0] + 0.7 * both[1], both[0] - 0.2 * both[1] + 0.5 * both[2]])
    spectra = spectra_for_end(signal.astype(np.float32), RATE)
    image = image_of(spectra, RATE)
    for octave, hertz in enumerate(CENTRES[1:-1], 1):
        edges = [hertz / 2**0.5, hertz * 2**0.5]
        sos = scipy.signal.butter(6, edges, "bandpass", fs=RATE, output="sos")
        left, right = scipy.signal.sosfilt(sos, signal)
        together = (left * right).sum()
        width = 1.0 - 2.0 * together / ((left**2).sum() + (right**2).sum())
        correlation = together / np.sqrt((left**2).sum() * (right**2).sum())
        assert widths([image])[0, octave] == pytest.approx(width, abs=0.05)
        assert correlations([image])[0, octave] == pytest.approx(correlation, abs=0.05)


def test_silence_is_mono() -> None:
    image = image_at(np.zeros((2, 20_000)))
    assert (widths([image]) == 0.0).all()
    assert (correlations([image]) == 1.0).all()
    assert (image[:PLACES] == 0).all()
