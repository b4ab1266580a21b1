"""Grains, the sampler, spectral playback and cut tables, each against something outside."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import pyloudnorm
import pytest
import scipy.signal
import soundfile
import soxr

from caligo.document import read_sound
from caligo.document.pitch import frequency
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.material.cards import RecordingCard
from caligo.material.cutting import by_cycles
from caligo.material.recording import Recording
from caligo.material.store import SHIPPED, VARIABLE, MaterialStore, current
from caligo.signal.ticks import Span
from caligo.synthesis.drawing import SINCS, evening
from caligo.synthesis.grain_cloud import add_grains
from caligo.synthesis.source import VOICE_LOUDNESS, VOICE_RMS
from demo.build import by_name
from tests.core.builders import (
    RATE,
    decibels,
    heard_pitch,
    layer_of,
    one_note,
    plain_layer,
    plain_sound,
    spectrum,
)

NAMES = by_name()


def moving(layer: dict[str, Any], **depths: float) -> Any:
    """A sound whose source is moved by one LFO."""
    return plain_sound(
        layer,
        modulators=[{"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 0.9}}}],
        routes=[
            {"id": f"r{k}", "from": "m", "to": f"ground.source.{k}", "depth": d}
            for k, d in depths.items()
        ],
    )


def zone(recording: str, number: int = 1, **params: Any) -> dict[str, Any]:
    """A zone of the sampler."""
    return {
        "id": f"zone{number}",
        "kind": "zone",
        "params": {"recording": recording, **params},
    }


@pytest.fixture
def shelf(tmp_path: Any, monkeypatch: pytest.MonkeyPatch) -> MaterialStore:
    """A shelf of its own, before the shipped one."""
    monkeypatch.setenv(VARIABLE, str(tmp_path / "shelf"))
    return current()


def taken(
    shelf: MaterialStore, tmp_path: Any, wave: np.ndarray, rate: int = RATE, name: str = "x"
) -> str:
    """The key of a wave, in the library."""
    path = tmp_path / f"{name}.wav"
    soundfile.write(path, wave.T, rate, subtype="FLOAT")
    return shelf.add_recording(path, name)[0].key


@pytest.mark.parametrize(
    "layer",
    [
        layer_of("grains", recording=NAMES["bowed_wire"], time_scatter=100, reverse=40),
        layer_of("sampler", [zone(NAMES["hummed_vowel"])], unison=3),
        layer_of("spectral", recording=NAMES["bowed_wire"], threshold=-50, blur=0.3, formants=60),
        layer_of("wavetable", table="rime", warp="self", warp_amount=30, unison=3),
    ],
    ids=lambda layer: layer["source"]["kind"],
)
def test_sources_begin_anywhere_and_in_any_blocks(layer: dict[str, Any]) -> None:
    moved = {
        "grains": {"density": 1.0, "position": 20.0, "size": 1.0},
        "sampler": {"fine": 40.0},
        "spectral": {"travel": 1.0, "shift": 60.0, "balance": 50.0},
        "wavetable": {"warp_amount": 40.0, "position": 30.0},
    }[layer["source"]["kind"]]
    sound = moving(layer, **moved)
    whole = render_array(sound, one_note(50, 3.0))
    assert whole.std() > 0.003
    np.testing.assert_array_equal(
        whole, render_array(sound, one_note(50, 3.0), block=192, ahead=False)
    )
    later = render_array(sound, one_note(50, 3.0), start=1.3)
    np.testing.assert_allclose(later, whole[:, -later.shape[1] :], atol=1e-5)


@pytest.mark.parametrize("kind", ["grains", "spectral", "sampler"])
def test_without_a_recording_there_is_silence(kind: str) -> None:
    items = [zone("0" * 16)] if kind == "sampler" else None
    assert not render_array(plain_sound(layer_of(kind, items)), one_note()).any()


def test_a_stem_depends_on_its_material(shelf: MaterialStore) -> None:
    sound = plain_sound(layer_of("grains", recording=NAMES["motor"]))

    def key() -> str:
        return stem_key(sound, sound.layers[0], one_note(), RATE, False)

    before = key()
    card = shelf.card(NAMES["motor"])
    assert card is not None
    shelf.write(card.model_copy(update={"root": 40.0}))
    assert key() != before


# Grains


def onsets(seconds: float = 60.0, **params: Any) -> np.ndarray:
    """When the grains of one note begin, in seconds."""
    sound = plain_sound(layer_of("grains", recording=NAMES["motor"], size_scatter=0, **params))
    voices = Engine(sound, one_note(60, seconds)).layers["ground"].voices
    ticks = int(seconds * RATE / 64)
    found = voices.source.grains(voices.block(Span(0, ticks, RATE), [0]), 0, 0)
    return np.sort(found[:, 0])


@pytest.mark.parametrize("density", [0.5, 7.0, 120.0])
def test_as_many_grains_begin_as_the_density_says(density: float) -> None:
    """Over a minute: density times 60, give or take one grain for the ends."""
    found = onsets(density=density, size=0.01)
    assert abs(len(found) - 60 * density) <= 2
    assert np.diff(found).mean() == pytest.approx(1 / density, rel=0.02)


def test_time_scatter_spreads_the_gaps() -> None:
    """Evenly scattered over a whole gap, gaps deviate by 1/sqrt(6) of it; none without scatter."""
    regular = np.diff(onsets(density=20, time_scatter=0, size=0.01))
    scattered = np.diff(onsets(density=20, time_scatter=100, size=0.01))
    assert regular.std() < 1e-9
    assert scattered.std() * 20 == pytest.approx(np.sqrt(1 / 6), abs=0.03)


def test_a_moved_density_is_added_up() -> None:
    sound = moving(layer_of("grains", recording=NAMES["motor"], density=20, size=0.01), density=1)
    voices = Engine(sound, one_note(60, 9.0)).layers["ground"].voices
    block = voices.block(Span(0, 6750, RATE), [0])
    grains = voices.source.grains(block, 0, 0)
    density = voices.source.movement.trajectory("ground.source.density").values(block.moments)[0]
    assert density.max() > 1.9 * 20
    assert abs(len(grains) - np.mean(density) * 9.0) < 3


@pytest.mark.parametrize("share", [1.0, 0.5, 0.1])
def test_windows_are_tapered_cosines(share: float) -> None:
    """Against `scipy.signal.windows.tukey`, over a recording that is 1 everywhere."""
    ones = np.ones(50_000, np.float32)
    size = 4800
    grain = np.array([[0.0, size / RATE, 1000.0, 1.0, share, 1.0, 0.0, 0.0, 0.0]])
    out = np.zeros((2, 4864), np.float32)
    add_grains(grain, ones, np.array([16]), np.array([1.0]), 49_000, SINCS, 0, RATE, out)
    expected = scipy.signal.windows.tukey(size + 1, share)
    assert np.abs(out[0, : size + 1] - expected).max() < 1e-4
    assert not out[0, size + 64 :].any()


def test_grains_follow_the_key_or_do_not() -> None:
    def heard(key: int, follow: bool) -> float:
        layer = layer_of(
            "grains", recording=NAMES["glass_harmonic"], density=60, size=0.4, follow=follow,
            position=40, travel=0, position_scatter=2, pan_scatter=0,
        )  # fmt: skip
        bins = spectrum(render_array(plain_sound(layer), one_note(key, 3.0))[0][RATE : 2 * RATE])
        return float(bins.argmax())

    assert heard(76, True) == pytest.approx(659, abs=8)
    assert heard(64, True) == pytest.approx(330, abs=6)
    assert heard(64, False) == pytest.approx(659, abs=8)


SUSTAINED = (
    "bowed_wire", "distant_horn", "dome_rail", "glass_harmonic", "hummed_vowel", "motor",
    "plate_ticks", "radio_static", "snow_steps", "wind_slit",
)  # fmt: skip
"""The shipped recordings that sound from their beginning to their end."""


def loudness_of(layer: dict[str, Any], key: int) -> float:
    """LUFS of ten seconds of a note that is there at once, by `pyloudnorm`."""
    heard = render_array(plain_sound(layer), one_note(key, 10.0))
    return float(pyloudnorm.Meter(RATE).integrated_loudness(heard.T.astype(float)))


def test_recordings_are_as_loud_as_waves_and_as_each_other() -> None:
    """At each recording's root within 3 LU of a saw, and at C4 within 3 LU of each other, however
    they were recorded."""
    shelf, wave, at_middle_c = by_name(), loudness_of(plain_layer(table="saw"), 60), []
    for name in SUSTAINED:
        recording = current().recording(shelf[name])
        assert recording is not None
        layer = layer_of("sampler", [{"id": "zone", "kind": "zone",
                                      "params": {"recording": shelf[name]}}])  # fmt: skip
        assert loudness_of(layer, round(recording.root)) == pytest.approx(wave, abs=3.0), name
        at_middle_c.append(loudness_of(layer, 60))
    assert np.ptp(at_middle_c) < 3.0


def test_a_card_that_does_not_say_how_loud_it_is_played_keeps_its_level() -> None:
    """As shelves have them that were filled before that was measured."""
    card = RecordingCard(key="0" * 16, name="N", file="n.wav", rate=RATE, channels=1,
                         frames=RATE, root=40.0, loudness=-20.0)  # fmt: skip
    part = read_sound({"name": "X", "layers": [layer_of("grains")]}).layers[0].source
    recording = Recording(card, np.zeros((1, RATE), np.float32))
    assert evening(part, recording) == pytest.approx(10 ** ((VOICE_LOUDNESS + 20.0) / 20.0))


def test_a_recording_brought_in_comes_to_the_same_level() -> None:
    """Noise at -50 dB and at -3 dB, and what is within it stays as far apart."""
    rng = np.random.default_rng(4)
    shape = np.repeat([1.0, 0.1], 2 * RATE)
    levels = []
    for gain in (0.002, 0.5):
        wave = (gain * shape * rng.standard_normal(4 * RATE)).astype(np.float32)
        card = RecordingCard(key="0" * 16, name="N", file="n.wav", rate=RATE, channels=1,
                             frames=4 * RATE)  # fmt: skip
        recording = Recording(card, wave[None])
        part = read_sound({"name": "X", "layers": [layer_of("grains")]}).layers[0].source
        made = evening(part, recording) * wave
        stereo = np.repeat(made[:, None].astype(float), 2, axis=1)
        levels.append(pyloudnorm.Meter(RATE).integrated_loudness(stereo))
    assert levels[0] == pytest.approx(levels[1], abs=0.1)
    assert levels[0] == pytest.approx(VOICE_LOUDNESS, abs=0.2)


def test_what_is_too_short_for_a_loudness_goes_by_its_loudest_moments() -> None:
    card = RecordingCard(key="0" * 16, name="N", file="n.wav", rate=RATE, channels=1, frames=4_800)
    click = np.zeros((1, 4_800), np.float32)
    click[0, :2_400] = 0.5
    part = read_sound({"name": "X", "layers": [layer_of("grains")]}).layers[0].source
    recording = Recording(card, click)
    assert recording.loudness is None
    assert evening(part, recording) == pytest.approx(VOICE_RMS / 0.5, rel=0.01)


def test_a_wash_and_single_grains_stay_in_level() -> None:
    for density, size in ((40, 0.5), (200, 0.2), (20, 2.0)):
        layer = layer_of(
            "grains", recording=NAMES["glass_harmonic"], position=40, density=density, size=size
        )
        signal = render_array(plain_sound(layer), one_note(67, 8.0))
        assert abs(decibels(signal[:, RATE:].std() / VOICE_RMS)) < 5


# Sampler


@pytest.mark.parametrize("key", [48, 55, 43, 60])
def test_a_sample_has_the_keys_pitch(key: int) -> None:
    """Praat (Boersma 1993) as an independent reader: within 12 cents on the hummed vowel."""
    sound = plain_sound(layer_of("sampler", [zone(NAMES["hummed_vowel"])]))
    signal = render_array(sound, one_note(key, 3.0))[0][RATE // 2 :]
    cents = 1200 * np.log2(heard_pitch(signal, RATE, 70.0, 500.0) / frequency(key))
    assert abs(cents) < 12


def test_resampling_is_as_clean_as_it_should_be(shelf: MaterialStore, tmp_path: Any) -> None:
    """A sine read 1.5 times as fast: all else lies 80 dB down."""
    wave = 0.5 * np.sin(2 * np.pi * 1000.0 * np.arange(3 * RATE) / RATE)[None]
    key = taken(shelf, tmp_path, wave)
    root = shelf.recording(key)
    assert root is not None
    note = round(root.root) + 7
    sound = plain_sound(layer_of("sampler", [zone(key)]))
    bins = spectrum(render_array(sound, one_note(note, 1.9))[0][2000:82_000])
    peak = int(bins.argmax())
    bins[peak - 8 : peak + 9] = 0.0
    assert decibels(bins.max() / VOICE_RMS) < -75


def test_fast_reading_does_not_fold(shelf: MaterialStore, tmp_path: Any) -> None:
    """Two octaves up, a sine at 9 kHz would lie at 36 kHz: nothing of it may be heard."""
    low = 0.4 * np.sin(2 * np.pi * 500.0 * np.arange(6 * RATE) / RATE)
    high = 0.4 * np.sin(2 * np.pi * 9000.0 * np.arange(6 * RATE) / RATE)
    key = taken(shelf, tmp_path, (low + high)[None])
    card = shelf.card(key)
    assert card is not None
    shelf.write(card.model_copy(update={"root": 60.0}))
    sound = plain_sound(layer_of("sampler", [zone(key)]))
    bins = spectrum(render_array(sound, one_note(84, 1.3))[0][4000:52_000])
    assert bins.argmax() == pytest.approx(2000, abs=2)
    assert decibels(bins[3000:].max() / bins.max()) < -60


@pytest.mark.parametrize("name", ["hummed_vowel", "glass_harmonic", "bowed_wire"])
def test_loops_do_not_click(name: str) -> None:
    """Around every loop point, what lies above 12 kHz stays 60 dB below the signal."""
    recording = current().recording(NAMES[name])
    assert recording is not None
    sound = plain_sound(layer_of("sampler", [zone(NAMES[name])], follow=False))
    signal = render_array(sound, one_note(60, 14.0))[0].astype(float)
    high = scipy.signal.sosfilt(
        scipy.signal.butter(6, 12_000, "high", fs=RATE, output="sos"), signal
    )
    loop = recording.card.loop
    assert loop is not None
    usual = np.abs(high[RATE : int(loop.end * RATE) - 4000]).max()
    at = np.arange(loop.end, 13.8, loop.end - loop.start)
    for moment in at:
        near = slice(int(moment * RATE) - 2000, int(moment * RATE) + 2000)
        assert np.abs(high[near]).max() < max(2.0 * usual, 1e-3 * np.abs(signal).max())
    assert np.abs(signal[13 * RATE :]).max() > 0.02


def test_zones_split_keys_and_velocities() -> None:
    items = [
        zone(NAMES["distant_horn"], 1, key_high=59),
        zone(NAMES["glass_harmonic"], 2, key_low=60, velocity_low=64),
    ]
    sound = plain_sound(layer_of("sampler", items))
    assert render_array(sound, one_note(50)).any()
    soft = one_note(72)
    soft.notes[0].velocity = 30
    assert render_array(sound, one_note(72)).any()
    assert not render_array(sound, soft).any()


def test_a_start_offset_leaves_the_beginning_out() -> None:
    def first(start: float) -> np.ndarray:
        items = [zone(NAMES["distant_horn"], start=start, loop="none")]
        sound = plain_sound(layer_of("sampler", items, follow=False))
        return render_array(sound, one_note(60, 3.0))[0]

    np.testing.assert_allclose(first(0.5)[4800:48_000], first(0.0)[28_800:72_000], atol=2e-3)


# Spectral


def spectral(**params: Any) -> dict[str, Any]:
    """A layer of frozen spectral playback without chance."""
    return layer_of("spectral", **{"travel": 0, "scatter": 0, "width": 0, **params})


def test_a_frozen_spectrum_is_that_of_the_frame() -> None:
    """The long-term spectrum of frozen playback against the recording's own frame."""
    recording = current().recording(NAMES["hummed_vowel"])
    assert recording is not None
    root = round(recording.root)
    layer = spectral(recording=NAMES["hummed_vowel"], position=50)
    signal = render_array(plain_sound(layer), one_note(root, 8.0))[0][RATE:]
    hertz, power = scipy.signal.welch(signal, RATE, "hann", 4096)
    middle = recording.frames // 2
    frame = recording.samples[0, middle - 2048 : middle + 2048] * np.hanning(4096)
    own = np.abs(np.fft.rfft(frame)) ** 2
    own_hertz = np.fft.rfftfreq(4096, 1 / recording.rate)
    edges = frequency(root) * (np.arange(0, 20) + 0.5)

    def partials(at: np.ndarray, what: np.ndarray) -> np.ndarray:
        pairs = itertools.pairwise(edges)
        return 10 * np.log10([what[(at >= a) & (at < b)].sum() for a, b in pairs])

    found, expected = partials(hertz, power), partials(own_hertz, own)
    loud = expected > expected.max() - 40
    difference = (found - expected)[loud]
    assert np.abs(difference - difference.mean()).max() < 3.0


def test_spectral_playback_at_speed_one_is_the_recording_again() -> None:
    """The level over time of what is played follows that of what was recorded."""
    recording = current().recording(NAMES["distant_horn"])
    assert recording is not None
    layer = spectral(recording=NAMES["distant_horn"], travel=1, position=0)
    signal = render_array(plain_sound(layer), one_note(50, 6.0))[0]
    own = soxr.resample(recording.samples[0], recording.rate, RATE)
    a, b = (np.sqrt(np.mean(w[: 5 * RATE].reshape(-1, 4800) ** 2, axis=1)) for w in (signal, own))
    assert np.corrcoef(a, b)[0, 1] > 0.97


@pytest.mark.parametrize(("params", "expected"), [
    ({"pitch": 12}, 2 * 659.3), ({"pitch": -12}, 659.3 / 2), ({"shift": 300}, 959.3),
])  # fmt: skip
def test_transposition_and_shift_move_the_peak(params: dict[str, Any], expected: float) -> None:
    layer = spectral(recording=NAMES["glass_harmonic"], position=40, follow=False, **params)
    bins = spectrum(render_array(plain_sound(layer), one_note(60, 3.0))[0][RATE : 2 * RATE])
    assert bins.argmax() == pytest.approx(expected, abs=4)


@pytest.mark.parametrize("pitch", [-7.7, 19.1, 36.0])
def test_a_transposed_tone_is_as_loud_and_as_pure(
    pitch: float, shelf: MaterialStore, tmp_path: Any
) -> None:
    """Wherever between two bins it falls: level and all that is no tone, by Fourier transform."""
    hertz, seconds = 443.3, 4
    wave = 0.3 * np.sin(2 * np.pi * hertz / RATE * np.arange(4 * RATE))
    key = taken(shelf, tmp_path, wave[None])
    layer = spectral(recording=key, follow=False, pitch=pitch)
    heard = render_array(plain_sound(layer), one_note(69, 6.0))[0][RATE : (1 + seconds) * RATE]
    as_it_was = render_array(plain_sound(spectral(recording=key, follow=False)), one_note(69, 6.0))
    assert decibels(heard.std() / as_it_was[0][RATE : (1 + seconds) * RATE].std()) == (
        pytest.approx(0.0, abs=0.1)
    )
    lines = spectrum(heard) ** 2
    near = np.abs(np.arange(len(lines)) - hertz * 2 ** (pitch / 12) * seconds) < 35
    assert 10.0 * np.log10(lines[~near].sum() / lines.sum()) < -40.0


@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_a_frozen_spectrum_is_the_same_at_every_rate(rate: int) -> None:
    """Third octaves of a recording without chance, by Welch's method."""

    def thirds(rate: int) -> np.ndarray:
        layer = spectral(recording=NAMES["glass_harmonic"], position=30, follow=False, pitch=-3.3)
        heard = render_array(plain_sound(layer), one_note(60, 6.0), rate=rate)[0][rate:]
        hertz, power = scipy.signal.welch(heard, rate, nperseg=rate // 5)
        edges = 100.0 * 2.0 ** (np.arange(20) / 3.0)
        pairs = itertools.pairwise(edges)
        found = [power[(hertz >= a) & (hertz < b)].sum() * (hertz[1] - hertz[0]) for a, b in pairs]
        return 10.0 * np.log10(np.array(found) + 1e-12)

    here, there = thirds(RATE), thirds(rate)
    loud = here > here.max() - 40.0
    assert loud.sum() >= 4
    assert np.abs(here - there)[loud].max() < 0.5


def test_formants_stay_when_they_are_kept() -> None:
    def outline(**params: Any) -> np.ndarray:
        layer = spectral(recording=NAMES["hummed_vowel"], position=50, **params)
        signal = render_array(plain_sound(layer), one_note(48, 4.0))[0][RATE:]
        _, power = scipy.signal.welch(signal, RATE, "hann", 2048)
        smooth = np.convolve(10 * np.log10(power + 1e-12), np.ones(41) / 41, "same")[20:140]
        return smooth - smooth.mean()

    as_it_is, moved = outline(), outline(pitch=9)
    kept = outline(pitch=9, formants=100)
    assert np.abs(kept - as_it_is).mean() < 0.6 * np.abs(moved - as_it_is).mean()


def test_regions_remove_and_keep() -> None:
    def levels(**region: Any) -> tuple[float, float]:
        items = [{"id": "region1", "kind": "region", "params": {
            "start": 0, "end": 100, "edge": 5, **region}}] if region else []  # fmt: skip
        layer = layer_of(
            "spectral", items, recording=NAMES["hummed_vowel"], travel=0, position=50, scatter=0
        )
        signal = render_array(plain_sound(layer), one_note(48, 3.0))[0][RATE:]
        bins = spectrum(signal)
        low = bins[200:1000].max()
        return decibels(low), decibels(bins[2800:6000].max())

    whole, removed = levels(), levels(low=150, high=600)
    kept = levels(does="keep", low=150, high=600)
    assert removed[0] < whole[0] - 3
    assert removed[1] == pytest.approx(whole[1], abs=3)
    assert kept[1] < whole[1] - 30


def test_tone_and_noise_are_told_apart(shelf: MaterialStore, tmp_path: Any) -> None:
    rng = np.random.default_rng(5)
    t = np.arange(4 * RATE) / RATE
    wave = 0.2 * np.sin(2 * np.pi * 600 * t) + 0.05 * rng.standard_normal(len(t))
    key = taken(shelf, tmp_path, wave[None])

    def ratio(balance: float) -> float:
        layer = spectral(recording=key, travel=0.5, balance=balance, follow=False)
        signal = render_array(plain_sound(layer), one_note(60, 4.0))[0][RATE : 3 * RATE]
        bins = spectrum(signal)
        return float(decibels(bins[1190:1210].max() / np.sqrt(np.mean(bins[4000:12_000] ** 2))))

    assert ratio(100) > ratio(0) + 6
    assert ratio(-100) < ratio(0) - 6


def test_a_threshold_thins_out() -> None:
    def rest(threshold: float) -> float:
        layer = spectral(recording=NAMES["wind_slit"], threshold=threshold, position=30)
        bins = spectrum(render_array(plain_sound(layer), one_note(67, 3.0))[0][RATE : 2 * RATE])
        return float(np.count_nonzero(bins > 1e-4 * bins.max()))

    assert rest(-12) < 0.5 * rest(-80)


# Tables cut from material, and warps


def test_a_cut_table_is_heard(shelf: MaterialStore) -> None:
    recording = current().recording(NAMES["hummed_vowel"])
    assert recording is not None
    spectra = by_cycles(recording.samples, recording.rate, frequency(recording.root), 16)
    card = shelf.add_table(spectra, "Vowel", "cut from Hummed vowel")
    layers = [
        {**layer_of("wavetable", table="cut", cut=card.key, position=at), "id": f"l{at}"}
        for at in (20, 60)
    ]
    signal = render_array(plain_sound(None, layers=layers), one_note(48, 2.0))[0]
    bins = spectrum(signal[RATE // 2 : RATE // 2 + RATE])
    formant = bins[600:860].max()
    assert decibels(formant / bins[1500:2000].max()) > 6


@pytest.mark.parametrize("warp", ["bend", "pulse", "sync", "self"])
@pytest.mark.parametrize("table", ["sine", "saw"])
def test_warps_do_not_fold_at_c7(warp: str, table: str) -> None:
    """As for every wavetable: aliases at least 80 dB under the strongest partial."""
    length = 2**17
    layer = layer_of("wavetable", table=table, warp=warp, warp_amount=63, scatter=0)
    signal = render_array(plain_sound(layer), one_note(96, (length + 4096) / RATE))[0]
    levels = decibels(spectrum(signal[2048 : 2048 + length]))
    hertz = np.arange(len(levels)) * RATE / length
    off = np.abs(hertz - np.round(hertz / frequency(96)) * frequency(96)) > 12 * RATE / length
    assert levels[off].max() < levels.max() - 80


def test_a_pulse_of_a_sine_has_the_textbooks_spectrum() -> None:
    """One period of a sine in a share d of the cycle, then rest: its Fourier integral."""
    d = 1 - 0.95 * 0.5
    layer = layer_of("wavetable", table="sine", warp="pulse", warp_amount=50, scatter=0)
    bins = spectrum(render_array(plain_sound(layer), one_note(45, 3.0))[0][RATE : 2 * RATE])
    t = (np.arange(4096) + 0.5) / 4096
    cycle = np.where(t < d, np.sin(2 * np.pi * t / d), 0.0)
    expected = np.abs(np.fft.rfft(cycle))
    found = [bins[110 * n] for n in range(1, 9)]
    assert np.array(found) / found[0] == pytest.approx(expected[1:9] / expected[1], abs=0.01)


def test_warps_keep_the_level() -> None:
    for warp in ("bend", "pulse", "sync", "self"):
        layer = layer_of("wavetable", table="saw", warp=warp, warp_amount=70)
        signal = render_array(plain_sound(layer), one_note(45, 2.0))[0]
        assert signal.std() == pytest.approx(VOICE_RMS, rel=0.02)


def test_shipped_material_is_found_without_being_told_where() -> None:
    assert current().directories[-1] == SHIPPED
