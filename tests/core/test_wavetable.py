"""The wavetable source: pitch, purity, spectra, unison."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal

from caligo.document.pitch import frequency
from caligo.engine.render.offline import render_array
from caligo.measure.loudness import LoudnessMeter
from caligo.signal.ticks import TICK
from caligo.synthesis.oscillators import add_phases, render_voice
from caligo.synthesis.source import VOICE_RMS
from caligo.synthesis.tables import EVOLVING, LIMITS, RECIPES, built_in
from tests.core.builders import RATE, decibels, one_note, plain_layer, plain_sound, spectrum

LENGTH = 2**17


def tone(key: int, rate: int = RATE, **source: object) -> np.ndarray:
    """A steady stretch of one note, left channel."""
    sound = plain_sound(plain_layer(**source))
    seconds = (LENGTH + 4096) / rate
    return render_array(sound, one_note(key, seconds), rate=rate)[0][2048 : 2048 + LENGTH]


@pytest.mark.parametrize("table", ["saw", "square", "aperture", "rime"])
@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_aliases_at_c7_lie_80_db_below_the_fundamental(table: str, rate: int) -> None:
    """Everything that is no multiple of C7 (2093 Hz) counts as an alias."""
    amplitudes = decibels(spectrum(tone(96, rate, table=table, position=70)))
    hertz = np.arange(len(amplitudes)) * rate / LENGTH
    f0 = frequency(96)
    partial = np.round(hertz / f0)
    wanted = (np.abs(hertz - partial * f0) < 12 * rate / LENGTH) & (partial >= 1)
    fundamental = amplitudes[np.abs(hertz - f0) < 40].max()
    assert amplitudes[~wanted].max() < fundamental - 80.0


def between_partials(key: int, rate: int = RATE, **source: object) -> float:
    """The strongest of all that is no partial of the key, in dB under the strongest that is."""
    found = np.abs(np.fft.rfft(tone(key, rate, unison=1, **source) * np.kaiser(LENGTH, 20)))
    hertz = np.fft.rfftfreq(LENGTH, 1.0 / rate)
    f0 = frequency(key)
    partial = np.round(hertz / f0)
    between = (np.abs(hertz - partial * f0) > 0.37 * f0 / 2) & (hertz > 15.0)
    return float(decibels(found[between].max() / found.max()))


@pytest.mark.parametrize("table", ["saw", "square", "aperture", "rime", "emulsion"])
@pytest.mark.parametrize(("key", "rate"), [(24, 44_100), (24, 96_000), (43, 48_000), (84, 48_000)])
def test_a_table_has_nothing_between_its_partials(table: str, key: int, rate: int) -> None:
    """Under -100 dB from C1 to C6: neither what is folded nor images of its samples."""
    assert between_partials(key, rate, table=table, position=100) < -100.0


@pytest.mark.parametrize("warp", ["bend", "pulse", "sync", "self"])
@pytest.mark.parametrize("rate", [44_100, 48_000])
def test_a_warped_table_has_nothing_between_its_partials(warp: str, rate: int) -> None:
    """A saw at C4, half and fully warped, under -90 dB."""
    for amount in (50, 100):
        assert between_partials(60, rate, table="saw", warp=warp, warp_amount=amount) < -90.0


@pytest.mark.parametrize("key", [24, 45, 69, 84, 108])
def test_pitch_is_within_a_tenth_of_a_cent(key: int) -> None:
    """ISO 16: the peak of the spectrum lies at the key's frequency."""
    amplitudes = spectrum(tone(key, table="sine"))
    peak = int(amplitudes.argmax())
    a, b, c = np.log(amplitudes[peak - 1 : peak + 2])
    exact = (peak + 0.5 * (a - c) / (a - 2 * b + c)) * RATE / LENGTH
    assert abs(1200 * np.log2(exact / frequency(key))) < 0.1


def test_saw_and_square_have_textbook_spectra() -> None:
    """Fourier series: partials fall as 1/n; a square lacks the even ones."""
    f0 = frequency(57)
    for table, even in (("saw", 1.0), ("square", 0.0)):
        amplitudes = spectrum(tone(57, table=table))

        def partial(n: int, found: np.ndarray = amplitudes) -> float:
            centre = round(n * f0 * LENGTH / RATE)
            # The energy of the window's whole lobe, which does not depend on where the peak lies.
            return float(np.sqrt(np.sum(found[centre - 6 : centre + 7] ** 2)))

        for n in range(1, 20):
            expected = partial(1) / n * (1.0 if n % 2 else even)
            assert partial(n) == pytest.approx(expected, rel=0.005, abs=2e-6)


def test_triangle_is_scipys() -> None:
    table = built_in("triangle").level()[0, :-1]
    x = np.arange(len(table)) / len(table)
    reference = scipy.signal.sawtooth(2 * np.pi * (x + 0.25), 0.5)
    reference *= VOICE_RMS / np.sqrt(np.mean(reference**2))
    assert np.abs(table - reference).max() < 0.002


@pytest.mark.parametrize("key", list(RECIPES))
def test_tables_are_level_and_without_offset(key: str) -> None:
    cycles = built_in(key).level()[:, :-1].astype(float)
    assert np.allclose(np.sqrt((cycles**2).mean(axis=1)), VOICE_RMS, rtol=1e-4)
    assert np.abs(cycles.mean(axis=1)).max() < 1e-6
    assert np.isfinite(cycles).all()


@pytest.mark.parametrize("key", list(RECIPES))
def test_every_level_holds_no_partial_above_its_limit(key: str) -> None:
    table = built_in(key)
    for level, limit in enumerate(LIMITS):
        spectra = np.abs(np.fft.rfft(table.level(level)[:, :-1], axis=1))
        assert spectra[:, limit + 1 :].max() < 1e-4 * spectra.max()


def test_at_least_four_tables_evolve_and_sound_different() -> None:
    assert len(EVOLVING) >= 4
    for key in EVOLVING:
        cycles = built_in(key).level()[:, :-1]
        ends = np.abs(np.fft.rfft(cycles[[0, -1]], axis=1))[:, 1:60]
        distance = np.abs(decibels(ends[0] + 1e-3) - decibels(ends[1] + 1e-3)).mean()
        assert distance > 5.0, f"{key} hardly changes along its position"


def test_detuned_pair_beats_as_it_should() -> None:
    """Common practice: 10 cents either side beat at f (2^(10/1200) - 2^(-10/1200))."""
    sound = plain_sound(plain_layer(table="sine", unison=2, detune=10, drift=0, spread=0))
    signal = render_array(sound, one_note(69, 20.0))[0]
    envelope = np.abs(scipy.signal.hilbert(signal))[RATE:-RATE]
    slow = envelope - envelope.mean()
    beats = np.abs(np.fft.rfft(slow * np.hanning(len(slow))))
    found = beats[: len(slow) // 100].argmax() * RATE / len(slow)
    expected = 440.0 * (2 ** (10 / 1200) - 2 ** (-10 / 1200))
    assert found == pytest.approx(expected, abs=1.5 * RATE / len(slow))


def test_phases_are_seeded() -> None:
    layer = plain_layer(table="saw", unison=5, scatter=100)
    once = render_array(plain_sound(layer, seed=1), one_note(48, 1.0))
    again = render_array(plain_sound(layer, seed=1), one_note(48, 1.0))
    other = render_array(plain_sound(layer, seed=2), one_note(48, 1.0))
    assert np.array_equal(once, again)
    assert not np.allclose(once, other, atol=1e-3)


def test_spread_widens() -> None:
    narrow = render_array(plain_sound(plain_layer(unison=7, spread=0)), one_note(48, 1.0))
    wide = render_array(
        plain_sound(plain_layer(unison=7, spread=100, scatter=100)), one_note(48, 1.0)
    )
    assert np.array_equal(narrow[0], narrow[1])
    assert np.corrcoef(wide)[0, 1] < 0.6


def test_unison_keeps_the_loudness() -> None:
    def loudness(unison: int) -> float:
        sound = plain_sound(plain_layer(unison=unison, scatter=100, detune=15))
        meter = LoudnessMeter(RATE)
        meter.add(render_array(sound, one_note(57, 6.0)))
        return meter.integrated()

    assert abs(loudness(1) - loudness(12)) < 2.0


def test_moved_pitch_arrives_where_it_should() -> None:
    """A one-way route of 1200 cents held at full puts the note an octave up."""
    sound = plain_sound(
        plain_layer(table="sine"),
        modulators=[{"id": "w", "name": "W", "kind": "wheel", "params": {"rest": 100}}],
        routes=[{"id": "r", "from": "w", "to": "ground.source.fine", "depth": 1200,
                 "polarity": "unipolar"}],
    )  # fmt: skip
    signal = render_array(sound, one_note(57, 3.0))[0][RATE : RATE + LENGTH // 2]
    peak = spectrum(signal).argmax() * RATE / len(signal)
    assert peak == pytest.approx(440.0, abs=1.0)


def test_quick_position_and_pitch_moves_do_not_click() -> None:
    """Steps of a random source move the position through many cycles within a tick."""
    sound = plain_sound(
        plain_layer(table="emulsion", position=50),
        modulators=[{"id": "s", "name": "S", "kind": "lfo",
                     "params": {"shape": "square", "period": {"value": 0.5}}}],
        routes=[{"id": "r1", "from": "s", "to": "ground.source.position", "depth": 50},
                {"id": "r2", "from": "s", "to": "ground.source.fine", "depth": 700}],
    )  # fmt: skip
    signal = render_array(sound, one_note(45, 2.0))[0]
    assert np.isfinite(signal).all()
    still = render_array(plain_sound(plain_layer(table="emulsion")), one_note(45, 2.0))[0]
    assert np.abs(np.diff(signal)).max() < 3.0 * np.abs(np.diff(still)).max()


GLIDES = ((200.0, 300.0), (400.0, 600.0), (1_000.0, 2_000.0))
"""Hertz between which a saw glides in 0.2 s."""


def glided(low: float, high: float) -> tuple[np.ndarray, np.ndarray]:
    """A saw that glides by an octave at most in 0.2 s, and what of it lies on none of its partials.

    Partials are taken away by sums of sines; what is left is looked at below 8.5 kHz.
    """
    ticks = round(0.2 * RATE / TICK)
    table = built_in("saw")
    step = np.linspace(low, high, ticks + 1) / RATE
    phases = np.zeros((1, ticks))
    add_phases(np.zeros(1), step, np.zeros(ticks + 1), np.zeros(1), np.zeros(1),
               np.empty((0, 0)), phases)  # fmt: skip
    even = np.ones((1, ticks + 1))
    out = np.zeros((2, ticks * TICK), np.float32)
    render_voice(table.flat, table.bits, table.starts, table.frames, table.limits, phases, step,
                 np.zeros(ticks + 1), np.zeros(1), np.zeros(1), np.empty((0, 0)),
                 np.zeros(ticks + 1), even, even, out)  # fmt: skip
    n = np.arange(ticks * TICK)
    slope = (step[1] - step[0]) / TICK
    cycles = step[0] * n + 0.5 * slope * n * n
    numbers = np.arange(1, int(20_000 / high) + 1)
    spectrum = np.fft.rfft(table.thinned(4_096)[0])[numbers] * 2.0 / 4_096
    # Straight lines between 4,096 samples lose a little of each.
    spectrum *= np.sinc(numbers / 4_096) ** 2
    waves = spectrum[:, None] * np.exp(2j * np.pi * numbers[:, None] * cycles)
    left = out[0] - waves.real.sum(axis=0)
    lows = scipy.signal.firwin(511, 8_500.0, window=("kaiser", 14.0), fs=RATE)
    return out[0], scipy.signal.fftconvolve(left, lows, "valid")


def worst_stretch(left: np.ndarray) -> float:
    """The root mean square of the loudest 10 ms."""
    powers = scipy.signal.fftconvolve(left**2, np.full(480, 1.0 / 480.0), "valid")
    return float(np.sqrt(powers.max()))


def test_a_glide_from_copy_to_copy_does_not_tick() -> None:
    """What is left are images at each edge of the saw; a sudden change of copies made -54 dB."""
    whole, left = glided(400.0, 600.0)
    assert decibels(np.abs(left).max() / np.abs(whole).max()) < -86.0
    for low, high in GLIDES:
        whole, left = glided(low, high)
        assert decibels(worst_stretch(left) / whole.std()) < -90.0


@pytest.mark.parametrize("key", [60, 96, 108])
def test_a_synced_saw_sounds_at_any_pitch(key: int) -> None:
    """Raised eightfold, nothing of C8 was below half the rate."""
    synced = render_array(
        plain_sound(plain_layer(table="saw", warp="sync", warp_amount=100)), one_note(key, 1.0)
    )
    plain = render_array(plain_sound(plain_layer(table="saw")), one_note(key, 1.0))
    assert decibels(synced.std() / plain.std()) == pytest.approx(0.0, abs=1.5)
