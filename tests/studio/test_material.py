"""The API of material: taking in, looking, changing, cutting, instruments."""

from __future__ import annotations

import io
import threading
import time
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from PIL import Image

from caligo.formats.sfz import read_sfz
from caligo.material.cards import RecordingCard
from caligo.material.store import ASIDE, VARIABLE, MaterialStore, current
from demo.build import by_name
from studio.library.models import Sound
from tests.studio.conftest import Api, gathered

RATE = 44_100


@pytest.fixture(autouse=True)
def _shelf(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(VARIABLE, str(tmp_path / "shelf"))


def audio(hertz: float = 220.0, seconds: float = 1.0, name: str = "tone.wav") -> Any:
    """An uploaded tone."""
    t = np.arange(round(seconds * RATE)) / RATE
    wave = 0.4 * sum(np.sin(2 * np.pi * n * hertz * t) / n for n in (1, 2, 3))
    buffer = io.BytesIO()
    soundfile.write(buffer, wave, RATE, format="WAV", subtype="PCM_16")
    return SimpleUploadedFile(name, buffer.getvalue())


def uploaded(api: Api, **more: Any) -> dict[str, Any]:
    """The card of an uploaded tone."""
    answer = api.upload("/material", audio(**more))
    assert answer.status_code == 201, answer.content
    card: dict[str, Any] = answer.json()["card"]
    return card


def test_the_demos_material_is_there(api: Api) -> None:
    found = api("GET", "/material").json()
    assert {"Bowed wire", "Hummed vowel"} <= {entry["card"]["name"] for entry in found}
    assert all(entry["shipped"] for entry in found)


def test_a_file_is_taken_in_once(api: Api) -> None:
    first = api.upload("/material", audio()).json()
    second = api.upload("/material", audio(name="copy of tone.wav")).json()
    assert (first["fresh"], second["fresh"]) == (True, False)
    assert first["card"] == second["card"]
    assert first["card"]["name"] == "tone"
    assert first["card"]["root"] == pytest.approx(57.0, abs=0.05)


@pytest.mark.parametrize(
    ("content", "message"),
    [(b"", "is empty|empty"), (b"hello", "not audio"), (b"RIFF\xff\xff\x00\x00WAVE", "cut off")],
)
def test_broken_files_are_told_by_name(api: Api, content: bytes, message: str) -> None:
    answer = api.upload("/material", SimpleUploadedFile("gale.wav", content))
    assert answer.status_code == 422
    text = str(answer.json())
    assert any(m in text for m in message.split("|"))
    assert not [e for e in api("GET", "/material").json() if not e["shipped"]]


def test_too_large_files_are_told(api: Api, settings: Any) -> None:
    settings.MAX_MATERIAL_BYTES = 1000
    answer = api.upload("/material", audio())
    assert answer.status_code == 422
    assert "at most" in answer.json()["text"]


def test_a_recording_is_looked_at(api: Api) -> None:
    key = uploaded(api)["key"]
    found = api("GET", f"/material/{key}/outline?start=0.2&end=0.7&columns=100").json()
    assert len(found["low"]) == 100
    assert found["seconds"] == pytest.approx(1.0)
    assert min(found["low"]) < -0.3 < 0.3 < max(found["high"])
    levels = api("GET", f"/material/{key}/spectrogram?columns=50&rows=64").content
    picture = np.frombuffer(levels, np.uint8).reshape(64, 50)
    row = int(np.log(220 / 30) / np.log(20_000 / 30) * 64)
    assert abs(int(picture[:, 25].argmax()) - row) <= 1


def test_steps_are_set_and_taken_back(api: Api) -> None:
    card = uploaded(api)
    steps = [{"do": "trim", "start": 0.1, "end": 0.6}, {"do": "normalise", "peak": -6}]
    changed = api("PATCH", f"/material/{card['key']}", {"steps": steps}).json()["card"]
    assert changed["peak"] == pytest.approx(-6, abs=0.01)
    assert api("GET", f"/material/{card['key']}/outline").json()["seconds"] == pytest.approx(0.5)
    back = api("PATCH", f"/material/{card['key']}", {"steps": []}).json()["card"]
    assert back["peak"] == card["peak"]


def test_root_and_loop_are_corrected(api: Api) -> None:
    key = uploaded(api, hertz=97.0, seconds=2.0)["key"]
    loops = api("GET", f"/material/{key}/loops").json()
    assert loops[0]["match"] > 0.9
    loop = {"start": loops[0]["start"], "end": loops[0]["end"], "fade": 0.02}
    changed = api("PATCH", f"/material/{key}", {"root": 43.5, "loop": loop}).json()["card"]
    assert (changed["root"], changed["loop"]) == (43.5, loop)
    # A low root is played higher, where it is heard as louder (K-weighting, ITU-R BS.1770).
    lower = api("PATCH", f"/material/{key}", {"root": 36.0}).json()["card"]
    assert lower["played"] > changed["played"]
    assert lower["loudness"] == changed["loudness"]
    api("PATCH", f"/material/{key}", {"root": 43.5})
    assert api("PATCH", f"/material/{key}", {"no_loop": True}).json()["card"]["loop"] is None


def test_a_loop_is_heard_and_looked_at_before_it_is_set(api: Api) -> None:
    key = uploaded(api, hertz=100.0, seconds=1.0)["key"]
    at = "start=0.2&end=0.7&fade=0"
    heard = api("GET", f"/material/{key}/loop/audio?{at}&lead=0.1")
    wave, rate = soundfile.read(io.BytesIO(heard.content))
    assert len(wave) / rate == pytest.approx(0.1 + 0.5 + 0.05, abs=1e-3)
    assert api("GET", f"/material/{key}/loop/seam?{at}").json()["step"] is None
    off = api("GET", f"/material/{key}/loop/seam?start=0.2&end=0.705&fade=0").json()
    assert off["step"] is not None
    assert len(off["points"]) == pytest.approx(0.02 * rate, abs=2)
    assert api("GET", f"/material/{key}/loop/seam?start=0.2&end=-1").status_code == 422


@pytest.mark.parametrize("change", [{"root": 200}, {"steps": [{"do": "melt"}]}, {"name": ""}])
def test_impossible_changes_are_refused(api: Api, change: dict[str, Any]) -> None:
    key = uploaded(api)["key"]
    assert api("PATCH", f"/material/{key}", change).status_code == 422


@pytest.mark.parametrize("method", ["cycles", "spectrum"])
def test_a_cut_is_seen_heard_and_kept(api: Api, method: str) -> None:
    key = uploaded(api)["key"]
    body = {"method": method, "frames": 8, "name": "Cut tone"}
    seen = api("POST", f"/material/{key}/cut", body).json()
    assert len(seen["cycles"]) == 8
    assert seen["hertz"] == pytest.approx(220, abs=0.5)
    assert seen["partials"][3][1] == pytest.approx(0.5, abs=0.06)
    wave, rate = soundfile.read(io.BytesIO(api("POST", f"/material/{key}/cut/audio", body).content))
    assert rate == 48_000
    assert np.abs(wave).max() > 0.05
    kept = api("POST", f"/material/{key}/cut/keep", body).json()["card"]
    assert "cut from tone" in kept["origin"]
    assert kept["source"] == key
    assert (kept["cut"]["way"], kept["cut"]["frames"]) == (method, 8)
    assert current().spectra(kept["key"]) is not None


def test_a_picture_is_cut(api: Api) -> None:
    x = np.linspace(0, 2 * np.pi, 200)
    grey = np.uint8(127 + 120 * np.sin(np.outer(np.ones(20), x)))
    buffer = io.BytesIO()
    Image.fromarray(grey).save(buffer, "PNG")
    file = SimpleUploadedFile("ridge.png", buffer.getvalue())
    assert len(api.upload("/material/picture?frames=10", file).json()["cycles"]) == 10
    file.seek(0)
    assert api.upload("/material/picture/audio", file).content[:4] == b"RIFF"
    file.seek(0)
    kept = api.upload("/material/picture/keep?name=Ridge", file).json()["card"]
    assert kept["name"] == "Ridge"
    refused = api.upload("/material/picture", SimpleUploadedFile("ridge.png", b"no picture"))
    assert refused.status_code == 422
    assert "ridge.png is not a PNG picture" in refused.json()["text"]


def test_what_is_used_cannot_be_let_go(api: Api, sound: Sound) -> None:
    key = uploaded(api)["key"]
    source = {"id": "source", "kind": "grains", "params": {"recording": key}, "items": []}
    edit = [{"op": "replace", "path": "/layers/0/source", "value": source}]
    answer = api("PATCH", f"/sounds/{sound.pk}", {"revision": sound.revision, "patch": edit})
    assert answer.status_code == 200
    entry = next(e for e in api("GET", "/material").json() if e["card"]["key"] == key)
    assert entry["used_by"] == ["Plain"]
    assert "Plain" in api("DELETE", f"/material/{key}").json()["text"]
    other = uploaded(api, hertz=300.0)["key"]
    assert api("DELETE", f"/material/{other}").status_code == 204
    assert other not in {e["card"]["key"] for e in api("GET", "/material").json()}
    assert api("POST", f"/material/{other}/bring-back").status_code == 204
    assert other in {e["card"]["key"] for e in api("GET", "/material").json()}
    again = api("POST", f"/material/{other}/bring-back")
    assert again.status_code == 422
    assert "in the library already" in again.json()["text"]
    assert "stays" in api("DELETE", f"/material/{by_name()['motor']}").json()["text"]
    grains = api(
        "GET", f"/sounds/{sound.pk}/layers/{sound.document['layers'][0]['id']}/close-up?at=2"
    )
    assert grains.json()["grains"]["shape"][1] == 5


def test_an_instrument_comes_in_and_goes_out(api: Api, sound: Sound) -> None:
    text = b"<region> sample=low.wav hikey=59 pitch_keycenter=57 ampeg_attack=1\n"
    text += b"<region> sample=gone.wav"
    files = [SimpleUploadedFile("plates.sfz", text), audio(name="low.wav")]
    answer = api.client.post(
        "/api/material/instrument", {"files": files}, headers={"X-CSRFToken": api.token}
    )
    found = answer.json()
    assert answer.status_code == 201
    assert found["skipped"] == {"ampeg_attack": 1, "gone.wav is missing": 1}
    assert found["zones"][0]["key_high"] == 59
    items = [{"id": "zone1", "kind": "zone", "params": found["zones"][0]}]
    source = {"id": "source", "kind": "sampler", "params": {}, "items": items}
    edit = [{"op": "replace", "path": "/layers/0/source", "value": source}]
    api("PATCH", f"/sounds/{sound.pk}", {"revision": sound.revision, "patch": edit})
    layer = sound.document["layers"][0]["id"]
    archive = zipfile.ZipFile(
        io.BytesIO(gathered(api("GET", f"/sounds/{sound.pk}/layers/{layer}/instrument")))
    )
    (zone,) = read_sfz(archive.read("instrument.sfz").decode()).zones
    assert zone.key_high == 59
    wave, _ = soundfile.read(io.BytesIO(archive.read(zone.sample)))
    assert len(wave) == RATE


@pytest.mark.django_db(transaction=True)
def test_taking_in_tells_how_far_it_is_and_can_be_cancelled(
    api: Api, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Both while a worker is at it; nothing is left behind."""
    path = tmp_path / "long.flac"
    noise = np.random.default_rng(1).uniform(-0.1, 0.1, (400 * 48_000, 1))
    soundfile.write(path, noise, 48_000, subtype="PCM_16")
    answers: list[Any] = []

    def upload() -> None:
        file = SimpleUploadedFile("long.flac", path.read_bytes())
        headers = {"X-CSRFToken": api.token}
        answers.append(api.client.post("/api/material?job=abc-1", {"file": file}, headers=headers))
        connection.close()

    thread = threading.Thread(target=upload)
    thread.start()
    progress: list[float] = []
    while thread.is_alive() and not (progress and progress[-1] > 0.0):
        found = Api()("GET", "/material/jobs/abc-1")
        if found.status_code == 200:
            progress.append(found.json()["progress"])
        time.sleep(0.02)
    assert Api()("POST", "/material/jobs/abc-1/cancel").status_code == 204
    thread.join()
    assert 0.0 < progress[-1] < 1.0
    assert answers[0].status_code == 422
    assert "cancelled" in answers[0].json()["text"]
    assert api("GET", "/material/jobs/abc-1").status_code == 404
    assert not list(current().directories[0].rglob("*.npy"))


@pytest.mark.parametrize("query", ["outline?start=nan", "spectrogram?end=inf", "outline?end=-inf"])
def test_what_is_no_number_is_refused(api: Api, query: str) -> None:
    card = uploaded(api)
    assert api("GET", f"/material/{card['key']}/{query}").status_code == 422


def test_a_close_up_at_no_moment_is_refused(api: Api, sound: Sound) -> None:
    answer = api("GET", f"/sounds/{sound.pk}/layers/layer1/close-up?at=nan")
    assert answer.status_code == 422


@pytest.mark.parametrize(("file", "victim"), [("../x.wav", "x.wav"), ("1.wav", "shelf/1.wav")])
def test_a_card_takes_no_file_along_but_its_own(tmp_path: Path, file: str, victim: str) -> None:
    """One that was tampered with names another file, and is deleted for good."""
    shelf = MaterialStore([tmp_path / "shelf"])
    card = RecordingCard(key="0" * 16, name="A", file="a.wav", rate=48_000, channels=1, frames=99)
    shelf.write(card)
    (tmp_path / victim).write_text("another's")
    path = tmp_path / "shelf" / f"{card.key}.json"
    path.write_text(path.read_text().replace("a.wav", file))
    path.rename(path.with_suffix(ASIDE))
    assert shelf.evict(1e12) == 1
    assert (tmp_path / victim).exists()


def test_a_huge_picture_is_refused_by_its_header(api: Api) -> None:
    """It is small as a file, and would take gigabytes once decoded."""
    buffer = io.BytesIO()
    Image.new("L", (20_000, 4_000)).save(buffer, "PNG")
    buffer.seek(0)
    buffer.name = "huge.png"
    answer = api.upload("/material/picture", buffer)
    assert answer.status_code == 422
    assert "20000 by 4000 pixels" in answer.json()["text"]


def test_of_many_channels_a_mix_or_two_are_offered_and_taken(api: Api) -> None:
    buffer = io.BytesIO()
    tones = np.random.default_rng(1).uniform(-0.2, 0.2, (RATE // 4, 6))
    soundfile.write(buffer, tones, RATE, format="WAV")

    def upload(query: str) -> Any:
        return api.upload(f"/material{query}", SimpleUploadedFile("many.wav", buffer.getvalue()))

    refused = upload("")
    assert refused.status_code == 422
    assert refused.json()["channels"] == 6
    assert upload("?take=7-8").status_code == 422
    assert upload("?take=front").status_code == 422
    cards = [upload(f"?take={take}").json()["card"] for take in ("mix", "3-4")]
    assert [card["channels"] for card in cards] == [2, 2]
    assert cards[0]["key"] != cards[1]["key"]
