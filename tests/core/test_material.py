"""Material: reading, the shelf, steps, pitch, loops, and tables cut from it."""

from __future__ import annotations

import os
import struct
import time
from pathlib import Path
from typing import Any

import librosa
import numpy as np
import pytest
import soundfile
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from caligo.document.pitch import frequency
from caligo.material.cards import STEPS, Loop, RecordingCard
from caligo.material.cutting import by_cycles, by_picture, by_spectrum
from caligo.material.loops import find_loops
from caligo.material.needed import missing, used
from caligo.material.pitch import detect
from caligo.material.pyramid import PAD, Pyramid
from caligo.material.reading import MaterialError, content_key, read_recording
from caligo.material.steps import apply
from caligo.material.store import SHIPPED, MaterialStore, current
from demo.build import by_name
from demo.material import PIECES, RATE, samples
from tests.core.builders import heard_pitch, layer_of, plain_sound

TIME = np.arange(RATE) / RATE


def tone(hertz: float, seconds: float = 1.0, rate: int = RATE) -> np.ndarray:
    """A tone with falling partials ``[1, samples]``."""
    t = np.arange(round(seconds * rate)) / rate
    wave = sum(np.sin(2 * np.pi * n * hertz * t + n) / n for n in range(1, 6))
    return 0.3 * np.asarray(wave, np.float32)[None]


def written(folder: Path, name: str, wave: np.ndarray, rate: int = RATE, **more: Any) -> Path:
    """An audio file."""
    path = folder / name
    soundfile.write(path, wave.T, rate, **more)
    return path


# Reading


@pytest.mark.parametrize("ending", ["wav", "flac", "ogg", "aiff", "mp3"])
def test_every_promised_format_is_read(tmp_path: Path, ending: str) -> None:
    wave = np.concatenate([tone(220.0), tone(330.0)])
    found, rate = read_recording(written(tmp_path, f"a.{ending}", wave))
    assert rate == RATE
    assert found.shape[0] == 2
    assert abs(found.shape[1] - RATE) < 2500
    assert np.corrcoef(found[0, 4000:40_000], wave[0, 4000:40_000])[0, 1] > 0.9 or ending == "mp3"


def _bytes(path: Path, change: Any) -> Path:
    path.write_bytes(change(path.read_bytes()))
    return path


def test_broken_files_are_told_in_plain_words(tmp_path: Path) -> None:
    def wav(name: str, wave: np.ndarray | None = None, **more: Any) -> Path:
        return written(tmp_path, name, tone(220.0) if wave is None else wave, **more)

    empty = tmp_path / "empty.wav"
    empty.touch()
    text = tmp_path / "text.wav"
    text.write_text("Dear composer, this is a letter.")
    wrong = tone(220.0)
    wrong[0, 4410] = np.nan
    cases = [
        (empty, "is empty"),
        (text, "is not audio"),
        (_bytes(wav("cut.wav"), lambda b: b[: len(b) // 2]), "is cut off"),
        (_bytes(wav("cut.flac"), lambda b: b[: len(b) // 2]), "cut off|not audio"),
        (_bytes(wav("zero.wav"), lambda b: b[:24] + struct.pack("<I", 0) + b[28:]), "0 Hz|audio"),
        (wav("eight.wav", np.repeat(tone(220.0), 8, axis=0)), "8 channels"),
        (wav("nan.wav", wrong, subtype="FLOAT"), "no numbers, the first at 0.100 s"),
        (wav("short.wav", tone(220.0)[:, :10]), "only 10 samples"),
        (
            wav("long.wav", np.zeros((1, 1300 * 4000), np.float32), rate=4000),
            "lasts more than 20 minutes",
        ),
        (wav("slow.wav", rate=100), "100 Hz"),
    ]
    for path, message in cases:
        with pytest.raises(MaterialError, match=message) as output:
            read_recording(path)
        assert path.name in str(output.value)


def test_the_key_is_of_the_samples_whatever_the_file(tmp_path: Path) -> None:
    wave = (np.round(tone(220.0) * 32767) / 32768).astype(np.float32)
    keys = {
        content_key(*read_recording(written(tmp_path, f"x.{e}", wave, subtype="PCM_16")))
        for e in ("wav", "flac", "aiff")
    }
    assert len(keys) == 1
    assert content_key(wave, RATE) != content_key(wave, 48_000)


# The shelf


def test_recordings_are_taken_in_once(tmp_path: Path) -> None:
    shelf = MaterialStore([tmp_path / "shelf"])
    path = written(tmp_path, "hum.wav", tone(220.0))
    card, fresh = shelf.add_recording(path, "Hum", "test")
    again, second = shelf.add_recording(path, "Hum again")
    assert fresh
    assert not second
    assert card == again
    assert card.root == pytest.approx(57.0, abs=0.05)
    assert [c.key for c in shelf.cards()] == [card.key]
    assert card.peak is not None
    assert card.peak < 0


def test_steps_change_what_is_heard_and_not_the_file(tmp_path: Path) -> None:
    shelf = MaterialStore([tmp_path / "shelf"])
    card, _ = shelf.add_recording(written(tmp_path, "hum.wav", tone(220.0)), "Hum")
    before = shelf.signature(card.key)
    steps = STEPS.validate_python([{"do": "trim", "start": 0.2, "end": 0.7}, {"do": "reverse"}])
    shelf.write(card.model_copy(update={"steps": steps}))
    heard, original = shelf.recording(card.key), shelf.original(card.key)
    assert heard is not None
    assert original is not None
    assert heard.frames == RATE // 2
    np.testing.assert_array_equal(
        heard.samples[0], original[1][0, RATE // 5 : RATE * 7 // 10][::-1]
    )
    assert shelf.signature(card.key) != before


def test_an_earlier_folder_stands_before_a_later(tmp_path: Path) -> None:
    shelf = MaterialStore([tmp_path, SHIPPED])
    key = by_name()["hummed_vowel"]
    card = shelf.card(key)
    assert isinstance(card, RecordingCard)
    shelf.write(card.model_copy(update={"root": 50.0}))
    changed = shelf.recording(key)
    assert changed is not None
    assert changed.root == 50.0
    shelf.remove(key)
    restored = shelf.recording(key)
    assert restored is not None
    assert restored.root == card.root
    assert shelf.is_shipped(key)


def test_what_is_let_go_of_comes_back_as_it_was(tmp_path: Path) -> None:
    shelf = MaterialStore([tmp_path])
    card, _ = shelf.add_recording(written(tmp_path, "a.wav", tone(220.0)), "Kept")
    shelf.write(card.model_copy(update={"root": 50.0}))
    before = shelf.recording(card.key)
    assert before is not None
    shelf.remove(card.key)
    assert shelf.cards() == []
    assert shelf.recording(card.key) is None
    assert shelf.bring_back(card.key)
    after = shelf.recording(card.key)
    assert after is not None
    assert after.root == 50.0
    np.testing.assert_array_equal(after.samples, before.samples)
    assert not shelf.bring_back(card.key)


def test_what_was_let_go_of_and_is_taken_in_again_is_new(tmp_path: Path) -> None:
    shelf = MaterialStore([tmp_path])
    file = written(tmp_path, "a.wav", tone(220.0))
    card, _ = shelf.add_recording(file, "Once")
    shelf.remove(card.key)
    again, new = shelf.add_recording(file, "Now")
    assert new
    assert (again.key, again.name) == (card.key, "Now")
    shelf.remove(card.key)
    assert shelf.bring_back(card.key)
    assert [c.name for c in shelf.cards()] == ["Now"]


def test_only_what_was_let_go_of_long_ago_is_forgotten(tmp_path: Path) -> None:
    folder = tmp_path / "shelf"
    shelf = MaterialStore([folder])
    assert shelf.evict(time.time()) == 0
    cards = [
        shelf.add_recording(written(tmp_path, "a.wav", tone(hertz)), f"{hertz}")[0]
        for hertz in (220.0, 330.0, 440.0)
    ]
    for card in cards[:2]:
        shelf.remove(card.key)
    os.utime(folder / f"{cards[0].key}.let-go", (1.0, 1.0))
    (folder / "damaged.let-go").write_text("{")
    os.utime(folder / "damaged.let-go", (1.0, 1.0))
    assert shelf.evict(time.time() - 60.0) == 2
    assert not shelf.bring_back(cards[0].key)
    assert not (folder / cards[0].file).exists()
    assert shelf.bring_back(cards[1].key)
    assert [c.key for c in shelf.cards()] == [cards[1].key, cards[2].key]


def test_what_is_missing_or_damaged_is_none(tmp_path: Path) -> None:
    shelf = MaterialStore([tmp_path])
    card, _ = shelf.add_recording(written(tmp_path, "hum.wav", tone(220.0)), "Hum")
    assert shelf.recording("0" * 16) is None
    (tmp_path / card.file).write_bytes(b"no more")
    assert MaterialStore([tmp_path]).recording(card.key) is None
    (tmp_path / f"{card.key}.json").write_text("{")
    assert shelf.cards() == []


@settings(max_examples=40)
@given(
    st.lists(
        st.one_of(
            st.builds(
                lambda a, b: {"do": "trim", "start": a, "end": b},
                st.floats(0, 1200),
                st.floats(0, 1200),
            ),
            st.builds(
                lambda a, b: {"do": "fade", "rise": a, "fall": b},
                st.floats(0, 1200),
                st.floats(0, 1200),
            ),
            st.builds(lambda p: {"do": "normalise", "peak": p}, st.floats(-60, 0)),
            st.just({"do": "reverse"}),
        ),
        max_size=5,
    )
)
def test_any_steps_leave_something_finite(steps: list[dict[str, Any]]) -> None:
    out = apply(tone(220.0), RATE, STEPS.validate_python(steps))
    assert out.shape[1] >= 0.01 * RATE - 1
    assert np.isfinite(out).all()


def test_a_fade_is_a_raised_cosine_and_a_peak_is_its_level() -> None:
    ones = np.ones((1, RATE), np.float32)
    steps = STEPS.validate_python(
        [{"do": "fade", "rise": 0.5}, {"do": "normalise", "peak": -6.0206}]
    )
    out = apply(ones, RATE, steps)[0]
    assert out[RATE // 4] == pytest.approx(0.25, abs=1e-3)
    assert out.max() == pytest.approx(0.5, abs=1e-4)


# Pitch and loops


@settings(max_examples=25)
@given(st.floats(30.0, 100.0))
def test_random_tones_have_their_pitch(key: float) -> None:
    """Within two cents of the tone that was made."""
    found = detect(tone(frequency(key), 0.6), RATE)
    assert found is not None
    assert 100 * abs(found.key - key) < 2


@pytest.mark.parametrize("name", ["bowed_wire", "hummed_vowel", "glass_harmonic", "distant_horn"])
def test_material_has_the_pitch_that_praat_hears(name: str) -> None:
    """Praat (Boersma 1993) as an independent reader, within a fifth of a semitone."""
    recording = current().recording(by_name()[name])
    assert recording is not None
    mono = recording.samples.mean(axis=0)
    expected = librosa.hz_to_midi(heard_pitch(mono, recording.rate, 60.0, 1000.0))
    assert recording.root == pytest.approx(expected, abs=0.2)


def test_noise_has_no_pitch() -> None:
    noise = 0.1 * np.random.default_rng(1).standard_normal((1, RATE)).astype(np.float32)
    assert detect(noise, RATE) is None
    assert detect(np.zeros((1, RATE), np.float32), RATE) is None


def test_loops_begin_and_end_alike() -> None:
    recording = current().recording(by_name()["glass_harmonic"])
    assert recording is not None
    best = find_loops(recording.samples, recording.rate)[0]
    a, b = (round(x * recording.rate) for x in (best.start, best.end))
    mono = recording.samples[0]
    assert np.abs(mono[a - 200 : a + 200] - mono[b - 200 : b + 200]).max() < 0.1 * mono.std() * 3
    assert best.match > 0.95
    assert find_loops(np.zeros((1, RATE), np.float32), RATE) == []


# Resampled copies and cut tables


def test_copies_are_what_the_resampler_makes() -> None:
    """The half-rate copy equals `soxr`'s own resampling; nothing above half its rate is left."""
    noise = np.random.default_rng(2).standard_normal((1, RATE)).astype(np.float32)
    levels = Pyramid(noise)
    assert levels.ratios[4] == 0.5
    begin = levels.starts[4]
    expected = soxr.resample(noise[0], 2.0, 1.0, quality="VHQ")
    copy = levels.flat[0, begin : begin + len(expected)]
    error = (copy - expected)[200:-200]
    assert 20 * np.log10(error.std() / expected.std()) < -30
    assert not levels.flat[0, begin - PAD : begin].any()


def test_cycles_cut_from_a_tone_are_its_spectrum() -> None:
    """Partials of 1/n, from the tone's own definition."""
    spectra = by_cycles(tone(196.0, 2.0), RATE, 196.0, 8)
    levels = np.abs(spectra[:, :6]) / np.abs(spectra[:, :1])
    assert levels[:, :5] == pytest.approx(np.tile(1.0 / np.arange(1, 6), (8, 1)), abs=0.02)
    assert levels[:, 5].max() < 0.03
    assert np.angle(spectra[:, 0]) == pytest.approx(np.full(8, -np.pi / 2), abs=1e-6)


def test_a_spectrum_is_cut_from_a_glide() -> None:
    """A glide over an octave: the multiples of 100 Hz that it passes, one after the other."""
    t = np.arange(2 * RATE) / RATE
    glide = np.sin(2 * np.pi * np.cumsum(400.0 * 2.0 ** (t / 2.0)) / RATE)[None]
    spectra = np.abs(by_spectrum(glide.astype(np.float32), RATE, 100.0, 16))
    strongest = spectra.argmax(axis=1) + 1
    assert strongest[0] == 4
    assert strongest[-1] == 8
    assert (np.diff(strongest) >= 0).all()


def test_a_vowels_table_has_its_formants() -> None:
    """Peaks of "hod" at 730, 1090 and 2440 Hz (Peterson and Barney 1952), within a partial."""
    recording = current().recording(by_name()["hummed_vowel"])
    assert recording is not None
    f0 = frequency(recording.root)
    for cut in (by_cycles, by_spectrum):
        spectra = np.abs(cut(recording.samples, recording.rate, f0, 16))
        middle = spectra[4:12].mean(axis=0)
        hertz = f0 * np.arange(1, len(middle) + 1)
        for formant in (730, 1090, 2440):
            near = np.abs(hertz - formant) < 1.1 * f0
            around = np.abs(hertz - formant) < 3.5 * f0
            assert middle[near].max() >= 0.65 * middle[around & (hertz > formant - f0)].max()
        ratio = middle[np.abs(hertz - 730) < f0].max() / middle[np.abs(hertz - 1800) < f0].min()
        assert 20 * np.log10(ratio) > 12


def test_a_picture_is_cut_into_rows_of_brightness(tmp_path: Path) -> None:
    x = np.arange(256) / 256
    rows = np.stack([np.sin(2 * np.pi * x), np.sign(np.sin(2 * np.pi * x))]).repeat(10, axis=0)
    path = tmp_path / "wave.png"
    Image.fromarray(np.uint8(np.round(127.5 + 127.5 * rows))).save(path)
    spectra = np.abs(by_picture(path, frames=20))
    assert spectra.shape[0] == 20
    assert spectra[0, 2] / spectra[0, 0] < 0.01
    assert spectra[-1, 2] / spectra[-1, 0] == pytest.approx(1 / 3, abs=0.01)


def test_pictures_that_are_none_are_told(tmp_path: Path) -> None:
    text, cut, even = (tmp_path / name for name in ("text.png", "cut.png", "even.png"))
    text.write_text("not a picture")
    Image.fromarray(np.random.default_rng(3).integers(0, 255, (64, 64), np.uint8)).save(cut)
    cut.write_bytes(cut.read_bytes()[:900])
    Image.fromarray(np.full((8, 8), 90, np.uint8)).save(even)
    for path, message in ((text, "not a PNG"), (cut, "damaged"), (even, "same brightness")):
        with pytest.raises(MaterialError, match=message):
            by_picture(path)


def test_silence_cannot_be_cut() -> None:
    for cut in (by_cycles, by_spectrum):
        with pytest.raises(MaterialError, match="silent"):
            cut(np.zeros((1, RATE), np.float32), RATE, 100.0)


# What is shipped


def test_at_least_ten_pieces_are_shipped_small_and_by_our_own_models() -> None:
    cards = MaterialStore([SHIPPED]).cards()
    assert len(cards) >= 10
    assert sum(p.stat().st_size for p in SHIPPED.glob("*.flac")) < 4 << 20
    assert {p.stem for p in SHIPPED.glob("*.flac")} == {piece.__name__ for piece in PIECES}


@pytest.mark.parametrize("piece", PIECES[1:], ids=lambda p: p.__name__)
def test_the_models_still_make_what_is_shipped(piece: Any) -> None:
    """Chaotic models (the bow) may part from bit to bit; the others stay within rounding."""
    recording = current().recording(by_name()[piece.__name__])
    assert recording is not None
    made = samples(piece)
    assert recording.frames == len(made)
    assert np.abs(recording.samples[0] - made).max() < 2e-3


def test_a_loop_is_kept_on_its_card() -> None:
    card = current().card(by_name()["hummed_vowel"])
    assert isinstance(card, RecordingCard)
    assert isinstance(card.loop, Loop)
    assert card.loop.end - card.loop.start > 1.0


def test_a_sound_tells_which_material_it_names() -> None:
    zone = {"id": "zone1", "kind": "zone", "params": {"recording": by_name()["motor"]}}
    layers = [
        layer_of("sampler", [zone]),
        {**layer_of("wavetable", table="cut", cut="f" * 16), "id": "other", "name": "Other"},
        {**layer_of("grains"), "id": "bare", "name": "Bare"},
    ]
    sound = plain_sound(None, layers=layers)
    assert used(sound) == {by_name()["motor"], "f" * 16}
    assert missing(sound) == ["other.source.cut"]
