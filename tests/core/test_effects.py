"""Chorus, reverb and ceiling: decay, density, colour, and that nothing passes the ceiling."""

from __future__ import annotations

import math

import numpy as np
import pytest
import scipy.ndimage
import scipy.signal
import scipy.stats
import soxr

from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.render.engine import RATES
from caligo.engine.render.offline import render_array
from caligo.processing.limiter import DELAY, Limiter
from demo.sounds import SOUNDS
from tests.core.builders import RATE, decibels, one_note, plain_layer, plain_sound
from tests.core.effects import effect, impulse, noise, pink_noise, sine, through
from tests.sweeps import widest


def reverb_time(response: np.ndarray, low: float, high: float) -> float:
    """Seconds for 60 dB by backward integration from -5 to -35 dB in a band.

    Source: M. Schroeder, "New method of measuring reverberation time" (1965); ISO 3382-1, T30.
    """
    sections = scipy.signal.butter(4, [low, high], "bandpass", fs=RATE, output="sos")
    band = scipy.signal.sosfilt(sections, response)
    energy = np.cumsum(band[::-1] ** 2)[::-1]
    curve = 10 * np.log10(energy / energy[0] + 1e-12)
    a, b = np.argmax(curve < -5), np.argmax(curve < -35)
    return float((b - a) / RATE * 2.0)


@pytest.mark.parametrize(
    ("decay", "size"),
    [(0.3, 40.0), (1.0, 60.0), (1.0, 200.0), (4.0, 130.0), (12.0, 40.0), (30.0, 40.0)],
)
def test_reverb_decays_as_long_as_it_says_in_every_octave(decay: float, size: float) -> None:
    """T30 within 10 %; what an octave of 0.3 s holds is too little to tell as nearly."""
    fx = effect("reverb", decay=decay, size=size, damping=20_000, low_cut=20, pre_delay=0)
    response = through(fx, impulse(decay * 0.85 + 0.5))[0]
    for middle in (125.0, 250.0, 500.0, 1_000.0, 2_000.0, 4_000.0, 8_000.0):
        if middle < 200.0 and decay < 0.5:
            continue  # too few waves to tell
        # Reading between samples takes a little of the highest octave with each of many passes.
        near = decay >= 1.0 and not (middle > 6_000.0 and decay > 10.0)
        found = reverb_time(response, middle / math.sqrt(2), middle * math.sqrt(2))
        assert found == pytest.approx(decay, rel=0.1 if near else 0.18), middle


@pytest.mark.parametrize("size", [40.0, 200.0])
@pytest.mark.parametrize("decay", [1.0, 3.0, 30.0])
def test_reverb_is_as_loud_as_what_goes_in(decay: float, size: float) -> None:
    """Pink noise through the space alone: within 2 dB from 1 s on, within 0.6 dB from 3 s."""
    given = pink_noise(1.2 * decay + 12.0)
    heard = through(effect("reverb", decay=decay, size=size), given)
    last = slice(-10 * RATE, None)
    level = decibels(heard[:, last].std() / given[:, last].std())
    assert level == pytest.approx(0.0, abs=0.6 if decay >= 3.0 else 2.0)


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_reverb_is_as_loud_at_every_rate(rate: int) -> None:
    given = pink_noise(14.0, rate=rate)
    heard = through(effect("reverb", decay=3.0, rate=rate), given)
    last = slice(-8 * rate, None)
    assert decibels(heard[:, last].std() / given[:, last].std()) == pytest.approx(0.0, abs=0.8)


def test_a_reverb_whose_space_moves_is_the_same_in_blocks_of_64() -> None:
    """Decay, damping, size and freeze all move, and C1 and C8 are held."""
    swing = {"id": "m", "name": "M", "kind": "lfo",
             "params": {"period": {"value": 0.37, "unit": "s"}}}  # fmt: skip
    depths = {"decay": 2.0, "damping": 1.5, "size": 30.0, "freeze": 60.0}
    routes = [{"id": key, "from": "m", "to": f"master.fx.{key}", "depth": depth}
              for key, depth in depths.items()]  # fmt: skip
    reverb = {"id": "fx", "kind": "reverb", "params": {"freeze": 50.0}}
    sound = plain_sound(plain_layer(table="saw"), master={"effects": [reverb]},
                        modulators=[swing], routes=routes)  # fmt: skip
    score = one_note(24, 2.0, total=3.0)
    score.notes.append(score.notes[0].model_copy(update={"id": "n2", "pitch": 108}))
    for rate in (44_100, 96_000):
        small = render_array(sound, score, rate=rate, block=64, ahead=False)
        assert np.array_equal(small, render_array(sound, score, rate=rate))
        assert small.std() > 0.001


@pytest.mark.parametrize(("period", "octaves", "most"), [(8.0, 1.5, 2.0), (2.0, 2.5, 6.0)])
def test_a_moved_decay_does_not_pump(period: float, octaves: float, most: float) -> None:
    """Pink noise, every fifth of a second; the level went up and down by 10 and 15 dB before."""
    swing = {"id": "m", "name": "M", "kind": "lfo",
             "params": {"period": {"value": period, "unit": "s"}}}  # fmt: skip
    route = {"id": "r", "from": "m", "to": "master.fx.decay", "depth": octaves}
    moved = effect("reverb", decay=4.2, modulators=[swing], routes=[route])
    heard = through(moved, pink_noise(40.0))[:, 20 * RATE :]
    levels = decibels(np.sqrt(np.square(heard).reshape(2, -1, RATE // 5).mean((0, 2))))
    assert levels.max() - levels.min() < most


def side_bands_of_moved(key: str, rest: float) -> float:
    """Side bands in dB of a tone in a reverb that is moved an octave each way in a quarter second.

    A step a tick would be heard at 750 Hz off.
    """
    swing = {"id": "m", "name": "M", "kind": "lfo",
             "params": {"period": {"value": 0.25, "unit": "s"}}}  # fmt: skip
    route = {"id": "r", "from": "m", "to": f"master.fx.{key}", "depth": 1.0}
    fx = effect("reverb", modulators=[swing], routes=[route], **{key: rest})
    given = sine(1_000.0, 24.0, 0.2)
    heard = through(fx, given)[0, -8 * RATE :]
    found = np.abs(np.fft.rfft(heard * np.blackman(len(heard))))
    hertz = np.fft.rfftfreq(len(heard), 1.0 / RATE)
    of = {c: found[np.abs(hertz - c) < 60.0].max() for c in (250.0, 1_000.0, 1_750.0, 2_500.0)}
    return float(decibels(max(of[250.0], of[1_750.0], of[2_500.0]) / of[1_000.0]))


@pytest.mark.parametrize(("key", "rest"), [("decay", 4.0), ("damping", 4_000.0)])
def test_a_reverb_moved_fast_makes_no_side_bands(key: str, rest: float) -> None:
    assert side_bands_of_moved(key, rest) < -80.0


@pytest.mark.parametrize(("decay", "level"), [(1.0, -11.57), (4.0, -2.26), (14.0, 3.83)])
def test_a_reverb_of_schema_4_is_as_loud_as_it_was(decay: float, level: float) -> None:
    """White noise through the space alone, as engine version 7 gave it."""
    master = {"effects": [{"id": "fx", "kind": "reverb", "params": {"decay": decay}}]}
    old = plain_sound(plain_layer()).as_document() | {"schema": 4, "master": master}
    params = read_sound(old).master.effects[0].params
    given = noise(30.0, 0.05)
    heard = through(effect("reverb", **(params | {"low_cut": 20.0})), given)
    last = slice(-10 * RATE, None)
    found = decibels(heard[:, last].std() / given[:, last].std())
    assert found == pytest.approx(level, abs=0.5)


@pytest.mark.parametrize("size", [40.0, 200.0])
def test_a_decay_that_leaps_makes_nothing_louder(size: float) -> None:
    """From 30 to 0.3 s within 10 ms: what is in the space then only fades."""
    lane = {"id": "l", "to": "master.fx.decay", "points": [
        {"time": 0.0, "value": 30.0}, {"time": 3.0, "value": 30.0}, {"time": 3.01, "value": 0.3},
        {"time": 60.0, "value": 0.3}]}  # fmt: skip
    reverb = {"id": "fx", "kind": "reverb", "params": {"decay": 30.0, "size": size, "mix": 100.0}}
    sound = plain_sound(plain_layer(table="saw"), master={"effects": [reverb]}, lanes=[lane])
    heard = render_array(sound, one_note(45, 2.0, total=5.0))
    before = np.abs(heard[:, round(2.5 * RATE) : 3 * RATE]).max()
    assert np.abs(heard[:, 3 * RATE :]).max() < 1.1 * before
    assert np.abs(heard[:, round(4.5 * RATE) :]).max() < 0.01 * before


def test_damping_shortens_the_highs() -> None:
    fx = effect("reverb", decay=4, damping=2_000)
    response = through(fx, impulse(4.0))[0]
    assert reverb_time(response, 4_000, 8_000) < 0.45 * reverb_time(response, 300, 600)


def echo_density(response: np.ndarray) -> float:
    """Share of samples beyond one standard deviation, over the 31.7 % of Gaussian noise.

    Source: J. Abel and P. Huang, "A simple, robust measure of reverberation echo density"
    (AES 2006). One means as dense as noise.
    """
    window = response / np.std(response)
    return float(np.mean(np.abs(window) > 1.0) / 0.3173)


@pytest.mark.parametrize("size", [40.0, 100.0, 200.0])
def test_reverb_is_as_dense_as_noise_within_a_tenth_of_a_second(size: float) -> None:
    """From 100 ms after the click on; also late, and its samples are distributed as noise is."""
    fx = effect("reverb", decay=12, size=size, damping=20_000, pre_delay=0)
    response = through(fx, impulse(4.0))
    for start in (0.09, 0.35, 0.8, 1.5, 3.0):
        for side in response:
            piece = side[int(start * RATE) : int((start + 0.02) * RATE)]
            assert echo_density(piece) > 0.85, start
    assert abs(scipy.stats.kurtosis(response[0, RATE // 10 : RATE // 4])) < 1.0


def test_reverb_of_12_seconds_is_uncoloured() -> None:
    """Noise through the space keeps its spectrum: third octaves within 2 dB of their trend."""
    rng = np.random.default_rng(3)
    noise = 0.05 * rng.standard_normal((2, RATE * 14)).astype(np.float32)
    wet = through(effect("reverb", decay=12, damping=20_000, low_cut=20), noise)[:, 4 * RATE :]
    _, found = scipy.signal.welch(wet[0], RATE, nperseg=1 << 14)
    _, given = scipy.signal.welch(noise[0], RATE, nperseg=1 << 14)
    hertz = np.arange(len(found)) * RATE / (1 << 14)
    bands = [125.0 * 2 ** (k / 3) for k in range(19)]
    gains = np.array([
        10 * np.log10(np.mean(found[(hertz >= f / 1.12) & (hertz < f * 1.12)])
                      / np.mean(given[(hertz >= f / 1.12) & (hertz < f * 1.12)]))
        for f in bands
    ])  # fmt: skip
    octaves = np.log2(bands)
    trend = np.polyval(np.polyfit(octaves, gains, 1), octaves)
    assert np.abs(gains - trend).max() < 2.0
    assert abs(np.polyfit(octaves, gains, 1)[0]) < 1.5


def highest(signal: np.ndarray, middles: np.ndarray) -> np.ndarray:
    """By how much the strongest line stands above the mean of its third octave, in dB."""
    power = np.abs(np.fft.rfft(signal * np.hanning(len(signal)))) ** 2
    hertz = np.fft.rfftfreq(len(signal), 1.0 / RATE)
    thirds = (power[(hertz > f / 2 ** (1 / 6)) & (hertz < f * 2 ** (1 / 6))] for f in middles)
    return np.array([10.0 * np.log10(third.max() / third.mean()) for third in thirds])


@pytest.mark.parametrize(("decay", "size"), [(12.0, 40.0), (30.0, 100.0), (30.0, 200.0)])
def test_late_in_the_tail_no_mode_stands_out(decay: float, size: float) -> None:
    """Eight seconds from the fifth on, their decay undone: no more than 6 dB above noise.

    Noise has lines that stand out by chance, so it is asked for its own, and both sides are heard.
    """
    fx = effect("reverb", decay=decay, size=size, damping=20_000, low_cut=20, pre_delay=0)
    late = through(fx, impulse(13.0))[:, 5 * RATE :].astype(np.float64)
    late *= 10.0 ** (3.0 * np.arange(late.shape[1]) / RATE / decay)
    middles = 1_000.0 * 2.0 ** (np.arange(-12, 10) / 3.0)
    found = np.mean([highest(side, middles) for side in late], axis=0)
    noise = np.random.default_rng(3).standard_normal((6, late.shape[1]))
    assert (found - np.mean([highest(one, middles) for one in noise], axis=0)).max() < 6.0


def test_reverb_is_wide_and_its_width_can_be_closed() -> None:
    wide = through(effect("reverb", decay=3), impulse(2.0))[:, RATE // 2 :]
    mono = through(effect("reverb", decay=3, width=0), impulse(2.0))[:, RATE // 2 :]
    assert abs(np.corrcoef(wide)[0, 1]) < 0.2
    assert np.corrcoef(mono)[0, 1] > 0.999


def test_pre_delay_waits() -> None:
    response = through(effect("reverb", pre_delay=100), impulse(1.0))[0]
    first = np.flatnonzero(np.abs(response) > 1e-6)[0] / RATE
    assert 0.1 <= first < 0.16


@pytest.mark.parametrize("kind", ["chorus", "reverb"])
def test_mix_at_nothing_leaves_the_signal(kind: str) -> None:
    rng = np.random.default_rng(1)
    noise = 0.1 * rng.standard_normal((2, RATE)).astype(np.float32)
    out = through(effect(kind, mix=0), noise)
    assert np.abs(out - noise[:, : out.shape[1]]).max() < 1e-6


def test_chorus_widens_and_leaves_the_lows() -> None:
    time = np.arange(4 * RATE) / RATE
    low = np.stack([0.3 * np.sin(2 * np.pi * 40 * time)] * 2)
    high = np.stack([0.3 * np.sin(2 * np.pi * 900 * time)] * 2)
    fx = {"mix": 100, "low_cut": 300}
    lows = through(effect("chorus", **fx), low)[:, RATE:]
    highs = through(effect("chorus", **fx), high)[:, RATE:]
    assert np.corrcoef(lows)[0, 1] > 0.95
    assert np.corrcoef(highs)[0, 1] < 0.8
    assert decibels(np.std(lows) / np.std(low)) == pytest.approx(0.0, abs=1.5)


def test_chorus_delay_is_where_it_says() -> None:
    response = through(effect("chorus", mix=100, depth=0, delay=20, low_cut=20), impulse(0.2))[0]
    first = np.flatnonzero(np.abs(response) > 0.3)[0]
    assert first / RATE == pytest.approx(0.020, abs=0.0001)


@pytest.mark.parametrize("mix", [50.0, 100.0])
def test_noise_keeps_its_level_in_the_chorus(mix: float) -> None:
    given = pink_noise(8.0)
    heard = through(effect("chorus", mix=mix), given)[:, RATE:]
    assert decibels(heard.std() / given[:, RATE:].std()) == pytest.approx(0.0, abs=0.3)


@pytest.mark.parametrize("mix", [0.0, 10.0, 45.0, 75.0, 100.0])
def test_a_linear_crossfade_of_the_chorus_is_softer_in_the_middle(mix: float) -> None:
    """Copies add to the direct signal in power: three of 0.62 each before schema 7."""
    given = 0.01 * pink_noise(8.0)
    heard = through(effect("chorus", mix=mix, law="linear", low_cut=20), given)[:, RATE:]
    m = mix / 100.0
    expected = 10.0 * np.log10((1.0 - m) ** 2 + 3.0 * (0.62 * m) ** 2)
    assert decibels(heard.std() / given[:, RATE:].std()) == pytest.approx(expected, abs=0.3)


@pytest.mark.parametrize("hertz", [311.0, 2_503.0])
def test_a_tone_does_not_go_under_in_the_chorus(hertz: float) -> None:
    """Both sides together, fiftieths of a second; at half mix it dipped by 16 dB before."""
    heard = through(effect("chorus", mix=50), sine(hertz, 10.0, 0.3))[:, RATE:]
    cells = heard[:, : heard.shape[1] // 960 * 960].reshape(2, -1, 960).std(axis=(0, 2))
    assert decibels(np.median(cells) / cells.min()) < 12.0


def test_chorus_sways_by_its_depth_in_its_period() -> None:
    """The first copy of each of many clicks: its delay is a sine over time, fitted by least
    squares; amplitude, period and mean are what the numbers say."""
    depth, period, delay = 2.0, 1.6, 20.0
    clicks = np.zeros((2, 5 * RATE), np.float32)
    at = np.arange(0, 5 * RATE - RATE // 10, RATE // 10)
    clicks[:, at] = 1.0
    fx = effect("chorus", mix=100, depth=depth, delay=delay, period=period, low_cut=20)
    heard = np.abs(through(fx, clicks)[0])
    arrived = []
    for n in at:
        piece = heard[n + 1 : n + RATE // 25]
        arrived.append((np.flatnonzero(piece > 0.3 * piece.max())[0] + 1) / RATE)
    times = at / RATE + np.array(arrived)
    turn = 2.0 * np.pi * times / period
    terms = np.stack([np.sin(turn), np.cos(turn), np.ones_like(turn)], axis=1)
    fit, rest, *_ = np.linalg.lstsq(terms, 1_000.0 * np.array(arrived), rcond=None)
    assert np.hypot(fit[0], fit[1]) == pytest.approx(depth, abs=0.05)
    assert fit[2] == pytest.approx(delay + depth, abs=0.05)
    assert np.sqrt(rest[0] / len(at)) < 0.05


def limited(signal: np.ndarray, ceiling: float) -> np.ndarray:
    out = signal.astype(np.float32).copy()
    Limiter(ceiling, RATE).process(out)
    return out


@pytest.mark.parametrize("ceiling", [-1.0, -6.0])
@pytest.mark.parametrize("loud", [1.2, 4.0, 20.0])
@pytest.mark.parametrize(
    "what", ["noise", "signs", "square", "steps", "bursts", "clicks", "between", "sweep"]
)
def test_nothing_passes_the_ceiling(what: str, loud: float, ceiling: float) -> None:
    """True peak between samples, by sixteenfold oversampling with `soxr`'s best filter.

    The limiter and the meter have filters of their own; nothing of them is used here.
    """
    n = np.arange(RATE)
    rng = np.random.default_rng(5)
    signal = {
        "noise": rng.standard_normal(RATE),
        "signs": np.sign(rng.standard_normal(RATE)),
        "steps": np.repeat(rng.uniform(-1, 1, RATE // 37 + 1), 37)[:RATE],
        "bursts": rng.standard_normal(RATE) * (n % 9_000 < 300),
        "sweep": np.sin(2 * np.pi * np.cumsum(np.linspace(20, 23_000, RATE)) / RATE),
        "square": np.sign(np.sin(2 * np.pi * 110 * n / RATE)),
        "clicks": (n % 4_801 == 0) * 1.0,
        # A sine at a quarter of the rate, 45 degrees off: its samples lie 3 dB below its peak.
        "between": np.sin(np.pi * n / 2 + np.pi / 4),
    }[what]
    out = limited(loud * np.stack([signal, signal[::-1]]), ceiling)
    assert np.abs(out).max() <= 10 ** (ceiling / 20) + 1e-6
    assert np.isfinite(out).all()
    # Where the array is cut off, there would be a peak that the limiter never had.
    inner = slice(16 * 1_000, -16 * 1_000)
    found = max(
        np.abs(soxr.resample(side.astype(float), RATE, 16 * RATE, quality="VHQ")[inner]).max()
        for side in out
    )
    assert decibels(found) <= ceiling + 0.01


@pytest.mark.parametrize("number", widest(range(len(SOUNDS)), 6))
def test_demo_sounds_36_decibels_too_loud_stay_below(number: int) -> None:
    """By the same measure; low and high keys, every rate, and blocks of 64 give the same."""
    rate = RATES[number % 3]
    chord = ("C1 G1 C#4", "C7 F#7 C8")[number % 2]
    sound = read_sound(SOUNDS[number]())
    loud = render_array(sound, held_chord(chord, 30.0), start=20.0, length=0.6, rate=rate)
    loud = np.ascontiguousarray(63.0 * loud[:, : loud.shape[1] // 64 * 64], dtype=np.float32)
    small, large = loud.copy(), loud
    limiter = Limiter(-1.0, rate)
    for at in range(0, small.shape[1], 64):
        piece = small[:, at : at + 64].copy()
        limiter.process(piece)
        small[:, at : at + 64] = piece
    Limiter(-1.0, rate).process(large)
    assert np.array_equal(small, large)
    found = max(
        np.abs(soxr.resample(side.astype(float), rate, 16 * rate, quality="VHQ")[16_000:-16_000])
        .max()
        for side in large
    )  # fmt: skip
    assert -4.0 < decibels(found) <= -1.0


def test_what_lies_below_the_ceiling_is_only_late() -> None:
    rng = np.random.default_rng(2)
    signal = (0.1 * rng.standard_normal((2, 64 * 100))).astype(np.float32)
    out = limited(signal, -1.0)
    assert np.array_equal(out[:, DELAY:], signal[:, :-DELAY])


def test_ceiling_swallows_what_is_no_number() -> None:
    signal = np.full((2, 640), 0.5, np.float32)
    signal[0, 100:110] = np.nan
    signal[1, 300] = np.inf
    assert np.isfinite(limited(signal, -1.0)).all()


def test_ceiling_turns_down_smoothly() -> None:
    """A sine that suddenly becomes loud within 10 ms is turned down without a step in its gain."""
    n = np.arange(64 * 300)
    carrier = np.sin(2 * np.pi * 1_000 * n / RATE)
    rise = np.clip((n - 64 * 150) / 480, 0, 1)
    signal = carrier * (0.3 + 2.7 * (0.5 - 0.5 * np.cos(np.pi * rise)))
    out = limited(np.stack([signal, signal]), -1.0)[0]
    edges = np.abs(np.diff(out, 2))
    steady = edges[64 * 200 :].max()
    # Cutting the tops off instead would make edges 25 times as sharp as the steady sine's.
    assert edges.max() < 4.0 * steady


def test_a_frozen_reverb_neither_fades_nor_takes_anything_in() -> None:
    """A lane freezes it after a second: half a minute on it is as loud, whatever is played."""
    lane = {"id": "l", "to": "master.fx.freeze", "points": [
        {"time": 0.0, "value": 0.0}, {"time": 1.0, "value": 0.0}, {"time": 1.05, "value": 100.0},
        {"time": 60.0, "value": 100.0}]}  # fmt: skip
    reverb = {"id": "fx", "kind": "reverb", "params": {"decay": 3.0, "pre_delay": 0.0}}
    sound = plain_sound(plain_layer(table="saw"), master={"effects": [reverb]}, lanes=[lane])
    alone = render_array(sound, one_note(45, 1.0, total=32.0))
    levels = [alone[:, round(at * RATE) : round((at + 3.0) * RATE)].std() for at in (2, 15, 28)]
    assert decibels(np.array(levels) / levels[0]) == pytest.approx(np.zeros(3), abs=0.5)
    later = one_note(45, 1.0, total=32.0)
    later.notes.append(later.notes[0].model_copy(update={"id": "n2", "start": 10.0, "pitch": 52}))
    assert np.abs(render_array(sound, later) - alone)[:, 12 * RATE :].max() < 1e-6


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("loud", [1.5, 8.0, 63.0])
def test_the_limiter_makes_no_direct_current(rate: int, loud: float) -> None:
    """Of a wave whose halves are unlike it holds one back more than the other (common practice:
    what leaves a master has none)."""
    n = np.arange(4 * rate)
    pulse = np.where((110 * n / rate) % 1.0 < 0.07, 1.0, 0.0)
    wave = (loud * np.stack([pulse - 0.07, 0.07 - pulse])).astype(np.float32)
    limiter = Limiter(-1.0, rate)
    limiter.process(wave)
    late = wave[:, -2 * rate :].astype(float)
    weights = np.hanning(2 * rate)
    offset = np.abs(late @ weights) / weights.sum()
    assert decibels(offset.max() / late.std()) < -60.0
    # Once it is soft again, it comes as it is.
    soft = (0.01 * np.random.default_rng(1).standard_normal((2, 8 * rate))).astype(np.float32)
    soft = soft[:, : soft.shape[1] // 64 * 64]
    out = soft.copy()
    limiter.process(out)
    assert np.array_equal(out[:, -rate:], soft[:, -rate - DELAY : -DELAY])
