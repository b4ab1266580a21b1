"""Sampled instruments between SFZ and the sampler's zones."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from caligo.catalogue import catalogue
from caligo.document.values import default_value
from caligo.engine.render.offline import render_array
from caligo.formats.sfz import read_sfz
from caligo.material.cards import Loop, RecordingCard
from caligo.material.instruments import base_name, sfz_of, zones_of
from caligo.material.store import VARIABLE, MaterialStore, current
from tests.core.builders import layer_of, one_note, plain_sound, spectrum

RATE = 48_000


@pytest.fixture
def shelf(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> MaterialStore:
    monkeypatch.setenv(VARIABLE, str(tmp_path / "shelf"))
    return current()


def taken(shelf: MaterialStore, folder: Path, name: str, hertz: float) -> RecordingCard:
    """A tone in the library."""
    wave = 0.5 * np.sin(2 * np.pi * hertz * np.arange(2 * RATE) / RATE)
    path = folder / "tone.wav"
    soundfile.write(path, wave, RATE, subtype="PCM_24")
    return shelf.add_recording(path, name)[0]


def complete(params: dict[str, Any]) -> dict[str, Any]:
    """A zone with all its values."""
    (module,) = [m for m in catalogue() if (m.family, m.kind) == ("item", "zone")]
    return {p.key: default_value(p) for p in module.parameters} | params


def test_samples_are_found_by_their_names_alone() -> None:
    assert base_name("Samples\\Low Plate.WAV") == "low plate.wav"
    assert base_name("a/b/c.flac") == "c.flac"


def test_zones_take_over_keys_tuning_offset_and_loop(shelf: MaterialStore, tmp_path: Path) -> None:
    card = taken(shelf, tmp_path, "plate", 440.0)
    sfz = read_sfz(
        "<region> sample=x\\plate.wav lokey=60 hikey=72 lovel=10 hivel=90 pitch_keycenter=71 "
        "volume=-4 tune=25 offset=4800 loop_mode=loop_continuous loop_start=9600 loop_end=47999"
    )
    (zone,), skipped = zones_of(sfz, {"plate.wav": card})
    assert skipped == {}
    assert (zone["key_low"], zone["key_high"]) == (60, 72)
    assert (zone["velocity_low"], zone["velocity_high"]) == (10, 90)
    # Heard at A4 by itself, the file says B4: a whole tone lower on every key, and 25 ct higher.
    assert zone["tune"] == pytest.approx(25 - 200, abs=1)
    assert (zone["gain"], zone["start"]) == (-4, 0.1)
    assert (zone["loop"], zone["loop_start"], zone["loop_end"]) == ("own", 0.2, 1.0)


def test_missing_samples_are_told_and_left_out(shelf: MaterialStore, tmp_path: Path) -> None:
    card = taken(shelf, tmp_path, "plate", 440.0)
    sfz = read_sfz("<region> sample=plate.wav <region> sample=gone.wav <region> sample=gone.wav")
    zones, skipped = zones_of(sfz, {"plate.wav": card})
    assert len(zones) == 1
    assert skipped == {"gone.wav is missing": 2}


def test_soft_samples_stay_softer_than_hard_ones(shelf: MaterialStore, tmp_path: Path) -> None:
    """Recorded 20 dB apart they are played so, and written so that others play them so."""
    cards = {}
    for name, peak in (("soft", 0.05), ("hard", 0.5)):
        wave = peak * np.sin(2 * np.pi * 440.0 * np.arange(2 * RATE) / RATE)
        soundfile.write(tmp_path / f"{name}.wav", wave, RATE, subtype="PCM_24")
        cards[f"{name}.wav"] = shelf.add_recording(tmp_path / f"{name}.wav", name)[0]
    sfz = read_sfz(
        "<region> sample=soft.wav hivel=63 pitch_keycenter=69 "
        "<region> sample=hard.wav lovel=64 volume=-2 pitch_keycenter=69"
    )
    zones, _ = zones_of(sfz, cards)
    items = [{"id": f"z{i}", "kind": "zone", "params": zone} for i, zone in enumerate(zones)]
    heard = []
    for velocity in (40, 100):
        score = one_note(69, 1.0)
        score.notes[0].velocity = velocity
        heard.append(render_array(plain_sound(layer_of("sampler", items)), score)[0].std())
    assert 20 * np.log10(heard[1] / heard[0]) == pytest.approx(18.0, abs=0.1)
    text, _ = sfz_of([complete(zone) for zone in zones], shelf, "Both")
    assert [zone.volume for zone in read_sfz(text).zones] == pytest.approx([0.0, -2.0], abs=0.02)


def test_what_is_written_plays_the_same_when_it_is_read(
    shelf: MaterialStore, tmp_path: Path
) -> None:
    card = taken(shelf, tmp_path, "plate", 450.0)
    looped = card.model_copy(update={"loop": Loop(start=0.5, end=1.5, fade=0.02)})
    shelf.write(looped)
    before = complete({"recording": card.key, "tune": 13.0, "gain": -3.0, "key_high": 90})
    text, files = sfz_of([before], shelf, "Plates")
    (after,), skipped = zones_of(read_sfz(text), {base_name(files[card.key]): looped})
    assert skipped == {}
    assert after["loop"] == "own"
    assert (after["loop_start"], after["loop_end"]) == (pytest.approx(0.5), pytest.approx(1.5))
    assert after["tune"] == pytest.approx(13.0, abs=1.0)

    def heard(zone: dict[str, Any]) -> int:
        items = [{"id": "zone1", "kind": "zone", "params": zone}]
        signal = render_array(plain_sound(layer_of("sampler", items)), one_note(69, 3.0))
        return int(spectrum(signal[0, RATE : 2 * RATE]).argmax())

    assert heard(before) == heard(complete(after))


def test_files_are_named_once_and_plainly(shelf: MaterialStore, tmp_path: Path) -> None:
    card = taken(shelf, tmp_path, "Très long / name: of?a plate", 300.0)
    zones = [complete({"recording": card.key, "key_low": k}) for k in (0, 60)]
    text, files = sfz_of([*zones, complete({"recording": "0" * 16})], shelf, "X")
    assert len(files) == 1
    assert "/" not in files[card.key]
    assert text.count("<region>") == 2
