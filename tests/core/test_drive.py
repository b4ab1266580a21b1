"""Drive of filters: clean at every rate, at its level, and nothing where it is off."""

from __future__ import annotations

import math
from functools import cache
from typing import Any

import numpy as np
import pyloudnorm
import pytest
import scipy.signal
from numpy.typing import NDArray

from caligo.catalogue import catalogue
from caligo.catalogue import module as catalogue_module
from caligo.document.upgrading import upgraded_sound
from caligo.engine.listening.live import Listening
from caligo.engine.render.changes import changes_between
from caligo.engine.render.engine import SMALL_BLOCK
from caligo.engine.render.offline import render_array
from caligo.signal.level_follower import FOLLOWER_STATE, FOLLOWERS, follow_level
from caligo.signal.recursive_half_band import FAR, HELD, NEAR, design, down, up
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH
from caligo.signal.waveshaping import REFERENCE, SHAPER_STATE, run_waveshaper
from tests.core.builders import decibels, one_note, plain_layer, plain_sound
from tests.core.effects import effect
from tests.core.effects import through as through_effect
from tests.core.test_more_filters import through

RATE = 48_000
RATES = (44_100, 48_000, 96_000)
FILTERS = [m.kind for m in catalogue() if m.family == "filter"]
Floats = NDArray[np.float64]


def _sine(hertz: float, peak: float, rate: int = RATE, seconds: float = 2.0) -> Any:
    at = np.arange(int(seconds * rate) // TICK * TICK) / rate
    wave = peak * np.sin(2.0 * math.pi * hertz * at)
    return np.stack([wave, wave]).astype(np.float32)


def _saw(hertz: float, rate: int) -> Any:
    """All partials up to 20 kHz, by their sum."""
    at = np.arange(2 * rate // TICK * TICK) / rate
    count = int(20_000 / hertz)
    wave = sum(np.sin(2.0 * math.pi * k * hertz * at) / k for k in range(1, count + 1))
    return np.stack([0.3 * wave, 0.3 * wave]).astype(np.float32)


def _off_the_partials(heard: Floats, hertz: float, rate: int) -> float:
    """The loudest that lies on no multiple of a pitch up to 18 kHz, in dB under the loudest."""
    heard = heard[-(2**16) :]
    lines = np.abs(np.fft.rfft(heard * scipy.signal.windows.blackmanharris(len(heard))))
    at = np.fft.rfftfreq(len(heard), 1.0 / rate)
    away = np.abs((at + 0.5 * hertz) % hertz - 0.5 * hertz)
    between = (away > 12.0 * rate / len(heard)) & (at < 18_000.0)
    return float(decibels(lines[between].max() / lines.max()))


@pytest.mark.parametrize(("taps", "passes"), [(NEAR, 0.226), (FAR, 0.13)])
def test_the_half_bands_pass_and_stop_as_designed(taps: Floats, passes: float) -> None:
    """The sum of two all-pass chains, by `scipy.signal.freqz` of each section.

    An elliptic half-band of order 2 n + 1 is as far down in the stop band by `ellipord`.
    """
    w = 2.0 * math.pi * np.linspace(0.0, 0.5, 4_001)
    chains = []
    for first in range(2):
        chain = np.ones(len(w), complex)
        for a in taps[first::2]:
            chain *= scipy.signal.freqz([a, 0.0, 1.0], [1.0, 0.0, a], w)[1]
        chains.append(chain)
    response = np.abs(0.5 * (chains[0] + np.exp(-1j * w) * chains[1]))
    share = w / (2.0 * math.pi)
    assert response[share <= passes].min() > 1.0 - 1e-9
    stopped = -decibels(response[share >= 0.5 - passes].max())
    assert stopped > 100.0
    ripple = -10.0 * math.log10(1.0 - 10.0 ** (-0.1 * stopped))
    order, _ = scipy.signal.ellipord(2.0 * passes, 1.0 - 2.0 * passes, ripple, stopped)
    assert order <= 2 * len(taps) + 1


def test_a_shorter_design_stops_less() -> None:
    assert len(design(4, 0.2)) == 4
    assert (np.diff(design(8, 0.226)) > 0.0).all()


def test_up_and_down_again_changes_nothing_but_phases() -> None:
    """White noise up to 0.45 of the rate keeps its spectrum within a hundredth of a decibel."""
    rng = np.random.default_rng(4)
    given = rng.standard_normal((64 * TICK, WIDTH))
    held, half = np.zeros((HELD, WIDTH)), np.empty((2 * TICK, WIDTH))
    wave, out = np.empty((4 * TICK, WIDTH)), np.empty((64 * TICK, WIDTH))
    for k in range(0, len(given), TICK):
        up.called(given[k : k + TICK], NEAR, FAR, held, half, wave)
        down.called(wave, NEAR, FAR, held, half, out[k : k + TICK])
    cross = scipy.signal.csd(given[:, 3], out[:, 3], nperseg=512)[1]
    own = scipy.signal.welch(given[:, 3], nperseg=512)[1]
    response = np.abs(cross / own)[2:230]
    assert np.abs(decibels(response)).max() < 0.3
    assert abs(decibels(float(np.median(response)))) < 0.05


@pytest.mark.parametrize("kind", FILTERS)
@pytest.mark.parametrize("rate", RATES)
def test_driven_filters_hardly_fold(kind: str, rate: int) -> None:
    """What `docs/figures.md` asks of bent waves: nothing over -80 dB between the partials."""
    cutoff = {"highpass": 100.0, "bandpass": 1_046.5}.get(kind, 6_000.0)
    corner = {} if kind == "vowel" else {"cutoff": cutoff}
    # The curve is given 6 dB more of what it relates to by its level.
    for drive, driven in ((24.0, "fixed"), (18.0, "behind")):
        heard = through(kind, _saw(1_046.5, rate), rate, drive=drive, driven=driven, **corner)
        assert _off_the_partials(heard[0].astype(float), 1_046.5, rate) < -80.0


@pytest.mark.parametrize("kind", [kind for kind in FILTERS if kind != "ladder"])
def test_drive_off_is_no_drive_at_all(kind: str) -> None:
    given = _sine(330.0, 0.9, seconds=0.5)
    np.testing.assert_array_equal(
        through(kind, given.copy(), drive=0.0), through(kind, given.copy())
    )
    assert np.abs(through(kind, given, drive=20.0) - through(kind, given)).max() > 0.01


@pytest.mark.parametrize("drive", [3.0, 12.0, 36.0])
def test_a_wave_at_the_reference_keeps_its_peak_and_soft_ones_are_lifted(drive: float) -> None:
    """By the curve itself: x sqrt(1 + (b r)^2) / sqrt(1 + (b x)^2) with b one below the drive."""
    factor = 10.0 ** (drive / 20.0)
    steady = np.full((1, RATE // TICK + 1), factor)

    strength = factor - 1.0
    lifted = math.sqrt(1.0 + (strength * REFERENCE) ** 2)
    turns = np.sin(np.linspace(0.0, 2.0 * math.pi, 100_000, endpoint=False))
    for given in (1e-4, 0.05, REFERENCE, 1.0):
        heard = _sine(200.0, given, seconds=1.0)[None].copy()
        run_waveshaper(heard, steady, np.zeros((1, 2, SHAPER_STATE)))
        wave = given * turns
        wanted = lifted * wave / np.sqrt(1.0 + (strength * wave) ** 2)
        late = heard[0, 0, RATE // 2 :].astype(float)
        assert float(late.std()) == pytest.approx(float(wanted.std()), rel=0.005)
        if given == REFERENCE:
            assert np.abs(wanted).max() == pytest.approx(REFERENCE, rel=1e-6)


def test_a_driven_filter_is_the_same_in_any_blocks() -> None:
    given = _saw(220.0, RATE)[:, : 64 * TICK]
    steady = np.linspace(1.0, 8.0, 65)[None]
    whole, state = given[None].copy(), np.zeros((1, 2, SHAPER_STATE))
    run_waveshaper(whole, steady, state)
    pieces, state = given[None].copy(), np.zeros((1, 2, SHAPER_STATE))
    for first, last in ((0, 5), (5, 6), (6, 64)):
        here = slice(first * TICK, last * TICK)
        piece = pieces[:, :, here].copy()
        run_waveshaper(piece, steady[:, first : last + 1], state)
        pieces[:, :, here] = piece
    np.testing.assert_array_equal(whole, pieces)


@cache
def given() -> dict[str, Floats]:
    """A pad of four notes, a saw, noise and a chord of eight, all at -25 dB ``[samples]``."""
    count = 3 * RATE // TICK * TICK

    def saws(*hertz: float) -> Floats:
        """All partials up to 18 kHz, each on the nearest of the signal's own frequencies."""
        spectrum = np.zeros(count // 2 + 1, complex)
        for f in hertz:
            k = np.arange(1, int(18e3 / f))
            spectrum[np.round(k * f * count / RATE).astype(int)] += -1j / k
        found: Floats = np.fft.irfft(spectrum, count)
        return found

    pad = saws(110.0, 110.6, 164.8, 165.3, 220.6, 221.9, 277.0, 278.1)
    darker = scipy.signal.butter(2, 2_500.0, fs=RATE, output="sos")
    found = {
        "pad": scipy.signal.sosfilt(darker, pad),
        "saw": saws(110.0),
        "noise": np.random.default_rng(3).standard_normal(count),
        "chord": saws(65.4, 98.0, 130.8, 164.8, 196.0, 246.9, 293.7, 329.6),
    }
    return {name: wave / wave.std() * 10.0 ** (-25.0 / 20.0) for name, wave in found.items()}


def loudness(wave: Floats) -> float:
    """LUFS by the reference library (BS.1770-4)."""
    return float(pyloudnorm.Meter(RATE).integrated_loudness(wave[RATE:]))


def brightness(wave: Floats) -> float:
    """Decibels of what lies above 2 kHz, against all."""
    power = np.abs(np.fft.rfft(wave[RATE:] * np.hanning(len(wave) - RATE))) ** 2
    return float(10.0 * np.log10(power[4_000:].sum() / power[40:].sum()))


@pytest.mark.parametrize("name", ["pad", "saw", "noise", "chord"])
@pytest.mark.parametrize("kind", ["lowpass", "ladder", "vowel"])
def test_drive_brightens_step_by_step_at_one_loudness(kind: str, name: str) -> None:
    wave = np.stack([given()[name]] * 2).astype(np.float32)
    heard = [through(kind, wave.copy(), drive=drive)[0] for drive in (0.0, 6.0, 12.0, 18.0, 24.0)]
    levels = [loudness(one) for one in heard]
    assert max(abs(level - levels[0]) for level in levels) < 0.5
    assert (np.diff([brightness(one) for one in heard]) > 0.1).all()


@pytest.mark.parametrize("name", ["pad", "saw", "noise", "chord"])
@pytest.mark.parametrize("kind", FILTERS)
def test_the_loudness_stays_in_every_filter(kind: str, name: str) -> None:
    wave = np.stack([given()[name]] * 2).astype(np.float32)
    levels = [loudness(through(kind, wave.copy(), drive=drive)[0]) for drive in (0.0, 12.0, 18.0)]
    assert levels[1:] == pytest.approx([levels[0]] * 2, abs=1.5)


@pytest.mark.parametrize(("low", "high"), [(-50.0, -25.0), (-25.0, -3.0)])
@pytest.mark.parametrize("driven", ["behind", "ahead"])
def test_drive_goes_by_the_level(driven: str, low: float, high: float) -> None:
    """What comes in louder comes out louder by as much, and is bent as much."""
    wave = np.stack([given()["pad"]] * 2).astype(np.float32)
    soft, loud = (
        through("lowpass", (wave * 10.0 ** ((level + 25.0) / 20.0)).astype(np.float32), drive=18.0,
                driven=driven)
        for level in (low, high)
    )  # fmt: skip
    scaled = soft * 10.0 ** ((high - low) / 20.0)
    assert decibels(np.abs(scaled - loud)[:, 2 * RATE :].max() / np.abs(loud).max()) < -60.0


def test_a_pause_does_not_turn_drive_up() -> None:
    """The first cycles after two seconds of silence are bent as those before it."""
    tone = _sine(220.0, 0.05, seconds=4.0)
    tone[:, RATE : 3 * RATE] = 0.0
    heard = through("lowpass", tone, drive=24.0)[0]
    before, after = heard[RATE // 2 : RATE], heard[3 * RATE + RATE // 50 : 3 * RATE + RATE // 2]
    assert decibels(np.abs(after).max() / np.abs(before).max()) == pytest.approx(0.0, abs=0.5)


@pytest.mark.parametrize("kind", ["saturation", "folder", "lowpass_filter"])
@pytest.mark.parametrize("extreme", [{"drive": 36.0}, {"drive": 12.0, "bias": 100.0}])
def test_what_fades_in_does_not_click(kind: str, extreme: dict[str, float]) -> None:
    """A wave that rises for two seconds from nothing is nowhere louder than at its end."""
    tone = _sine(220.0, 0.1, seconds=3.0)
    tone *= np.minimum(np.arange(tone.shape[1]) / (2.0 * RATE), 1.0).astype(np.float32) ** 2
    known = catalogue_module("effect", kind).parameters
    params = {key: value for key, value in extreme.items() if key in {p.key for p in known}}
    heard = np.abs(through_effect(effect(kind, **params), tone)[0])
    assert heard[: 2 * RATE].max() < 1.2 * heard[-RATE // 2 :].max()


@pytest.mark.parametrize("broken", [np.inf, np.nan])
def test_the_follower_forgets_what_is_no_number(broken: float) -> None:
    given_once = _sine(220.0, 0.1, seconds=1.0)[None].copy()
    state = np.zeros((1, 2, FOLLOWERS * FOLLOWER_STATE))
    expected = follow_level(given_once, RATE, state.copy())[0, -1]
    given_once[0, 0, 24_000] = broken
    assert follow_level(given_once, RATE, state)[0, -1] == pytest.approx(expected, rel=0.05)


def test_older_drive_stays_where_it_was() -> None:
    low = {"id": "f", "kind": "lowpass", "params": {"drive": 12.0}}
    still = {"id": "g", "kind": "highpass", "params": {}}
    moved = {"id": "h", "kind": "peak", "params": {}}
    ladder = {"id": "k", "kind": "ladder", "params": {}}
    layer = {"id": "a", "filters": [low, still, moved, ladder],
             "inserts": [{"id": "s", "kind": "saturation", "params": {}}]}  # fmt: skip
    old = {"schema": 10, "layers": [layer], "routes": [{"from": "x", "to": "a.h.drive"}]}
    found = upgraded_sound(old)["layers"][0]
    assert ["driven" in part["params"] for part in found["filters"]] == [True, False, True, True]
    assert found["inserts"][0]["params"] == {"driven": "fixed"}


def _driven(kind: str, drive: float) -> Any:
    layer = plain_layer(table="saw") | {
        "filters": [{"id": "f", "kind": kind, "params": {"cutoff": 6_000.0, "drive": drive}}]
    }
    return plain_sound(layer)


@pytest.mark.parametrize("kind", ["lowpass", "ladder"])
def test_drive_that_leaves_nothing_while_listening_is_the_drive_of_a_fresh_start(kind: str) -> None:
    """What is not computed as long as nothing is driven is there as soon as something is."""
    score = one_note(84, 20.0)
    assert changes_between(_driven(kind, 0.0), _driven(kind, 12.0)) is None
    assert changes_between(_driven(kind, 12.0), _driven(kind, 0.0)) is None
    assert changes_between(_driven(kind, 6.0), _driven(kind, 12.0))
    listening = Listening(_driven(kind, 0.0), score)
    for _ in range(20):
        listening.block()
    listening.edit(_driven(kind, 12.0))
    for _ in range(30):
        listening.block()
    heard = np.concatenate([listening.block() for _ in range(40)], axis=1)
    fresh = render_array(_driven(kind, 12.0), score, length=5.0)
    whole = fresh[:, 50 * SMALL_BLOCK :][:, : heard.shape[1]]
    assert decibels(np.abs(heard - whole).max() / np.abs(whole).max()) < -60.0
    assert _off_the_partials(heard[0, -(2**16) :].astype(float), 1_046.502, RATE) < -80.0
