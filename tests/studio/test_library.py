"""Productions, cues, sounds, scores and versions over the API."""

from __future__ import annotations

import io
import json
import re
from typing import Any

import pytest
from django.apps import apps
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db.migrations.loader import MigrationLoader

from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.document.upgrading import SOUND_SCHEMA
from caligo.formats.midi import read_midi, write_midi
from studio.demo_production import NAME, load_demo
from studio.library.models import Cue, Production, Sound
from studio.library.upgrading import upgrade_kept
from tests.studio.conftest import Api


def test_the_demo_loads_once(api: Api) -> None:
    assert load_demo().pk == load_demo().pk
    listed = api("GET", "/productions").json()
    assert [p["name"] for p in listed] == [NAME]
    assert len(listed[0]["cues"]) == 5
    assert sum(len(c["sounds"]) for c in listed[0]["cues"]) >= 4
    for sound in Sound.objects.all():
        read_sound(sound.document)


def test_opening_gives_everything(api: Api, sound: Sound) -> None:
    opened = api("GET", f"/sounds/{sound.pk}").json()
    assert opened["document"]["name"] == "Plain"
    assert opened["document"]["schema"] == SOUND_SCHEMA
    assert opened["score"]["length"] == 8.0
    assert opened["cue"]["number"] == "1m1"
    assert opened["production"]["name"] == "Test film"


def patch(path: str, value: Any) -> list[dict[str, Any]]:
    return [{"op": "replace", "path": path, "value": value}]


def test_edits_are_saved_at_once(api: Api, sound: Sound) -> None:
    change = {"revision": 1, "patch": patch("/layers/0/filters/0/params/cutoff", 333.0)}
    saved = api("PATCH", f"/sounds/{sound.pk}", change)
    assert saved.status_code == 200
    assert saved.json()["revision"] == 2
    sound.refresh_from_db()
    assert sound.document["layers"][0]["filters"][0]["params"]["cutoff"] == 333.0


def test_renaming_in_the_document_renames_in_the_list(api: Api, sound: Sound) -> None:
    api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": patch("/name", "Other")})
    assert api("GET", "/productions").json()[0]["cues"][0]["sounds"][0]["name"] == "Other"


def test_an_edit_against_an_old_state_is_refused(api: Api, sound: Sound) -> None:
    api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": patch("/name", "One")})
    late = api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": patch("/name", "Two")})
    assert late.status_code == 409
    assert late.json()["revision"] == 2
    assert "changed elsewhere" in late.json()["text"]
    sound.refresh_from_db()
    assert sound.name == "One"


def test_an_impossible_edit_is_explained_and_changes_nothing(api: Api, sound: Sound) -> None:
    before = sound.document
    change = {"revision": 1, "patch": patch("/layers/0/source/params/unison", 99)}
    answer = api("PATCH", f"/sounds/{sound.pk}", change)
    assert answer.status_code == 422
    problem = answer.json()["problems"][0]
    assert problem["address"] == "layer1.source.unison"
    assert problem["value"] == 99
    assert problem["allowed"] == "1 to 24"
    sound.refresh_from_db()
    assert sound.document == before
    assert sound.revision == 1


def test_scores_from_chords_and_midi(api: Api, sound: Sound) -> None:
    held = api("POST", "/scores/chord", {"text": "Am9", "length": 60}).json()
    assert len(held["notes"]) == 5
    change = {"revision": 1, "patch": patch("", held)}
    assert api("PATCH", f"/cues/{sound.cue_id}/score", change).status_code == 200
    file = api("GET", f"/cues/{sound.cue_id}/score.mid")
    assert len(read_midi(file.content).notes) == 5
    back = api.upload("/scores/midi", SimpleUploadedFile("cue.mid", file.content))
    assert back.status_code == 200
    assert len(back.json()["notes"]) == 5


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("cut.mid", write_midi(held_chord("C3"))[:30], "cut.mid is damaged or cut off"),
        ("text.mid", b"hello", "not a Standard MIDI File"),
        ("huge.mid", b"MThd" + b"0" * (2 << 20), "too large"),
    ],
)
def test_bad_midi_files_are_explained(api: Api, name: str, content: bytes, says: str) -> None:
    answer = api.upload("/scores/midi", SimpleUploadedFile(name, content))
    assert answer.status_code == 422
    assert says in answer.json()["text"]


def test_unknown_chords_are_explained(api: Api) -> None:
    answer = api("POST", "/scores/chord", {"text": "Cwide", "length": 60})
    assert answer.status_code == 422
    assert "Cwide" in answer.json()["text"]


def test_versions_are_kept_listed_and_read(api: Api, sound: Sound) -> None:
    first = api("POST", f"/sounds/{sound.pk}/versions", {"name": "Before"}).json()
    api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": patch("/name", "Later")})
    second = api("POST", f"/sounds/{sound.pk}/versions", {}).json()
    assert (first["number"], second["number"]) == (1, 2)
    listed = api("GET", f"/sounds/{sound.pk}/versions").json()
    assert [v["number"] for v in listed] == [2, 1]
    kept = api("GET", f"/versions/{first['id']}").json()
    assert kept["document"]["name"] == "Plain"
    assert api("DELETE", f"/versions/{first['id']}").status_code == 204


def test_everything_can_be_made_renamed_and_deleted(api: Api) -> None:
    production = api("POST", "/productions", {"name": "New"}).json()
    cue = api(
        "POST", f"/productions/{production['id']}/cues", {"name": "C", "number": "2m1"}
    ).json()
    sound = api("POST", f"/cues/{cue['id']}/sounds", {"name": "S"}).json()
    copy = api("POST", f"/cues/{cue['id']}/sounds", {"name": "S copy", "copy_of": sound["id"]})
    assert copy.json()["name"] == "S copy"
    assert api("PATCH", f"/productions/{production['id']}", {"name": "Renamed"}).status_code == 200
    assert api("PATCH", f"/cues/{cue['id']}", {"name": "D", "number": "2m2"}).status_code == 200
    assert Cue.objects.get(pk=cue["id"]).number == "2m2"
    assert api("DELETE", f"/sounds/{sound['id']}").status_code == 204
    assert api("DELETE", f"/cues/{cue['id']}").status_code == 204
    assert api("DELETE", f"/productions/{production['id']}").status_code == 204
    assert Production.objects.count() == 0


def test_sounds_go_out_and_come_back_as_json(api: Api, sound: Sound) -> None:
    content = api("GET", f"/sounds/{sound.pk}/file").content
    path = f"/cues/{sound.cue_id}/sounds/import"
    back = api.upload(path, SimpleUploadedFile("plain.json", content))
    assert back.status_code == 201
    assert Sound.objects.get(pk=back.json()["id"]).document == sound.document


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"\xff\xfe", "is not JSON"),
        (json.dumps({"name": "x", "layers": [], "glow": 1}).encode(), "glow"),
        (b"[" * 50_000, "is not JSON"),
        (b" " * ((2 << 20) + 1), "too large"),
    ],
)
def test_bad_documents_are_explained(api: Api, sound: Sound, content: bytes, says: str) -> None:
    path = f"/cues/{sound.cue_id}/sounds/import"
    answer = api.upload(path, SimpleUploadedFile("bad.json", io.BytesIO(content).read()))
    assert answer.status_code == 422
    assert says in answer.json()["text"]
    assert Sound.objects.count() == 1


@pytest.mark.parametrize(
    "path", ["/sounds/999", "/versions/999", "/renders/999", "/cues/9/score.mid"]
)
def test_what_is_gone_is_said(api: Api, path: str) -> None:
    answer = api("GET", path)
    assert answer.status_code == 404
    assert "no longer there" in answer.json()["text"]


def test_the_catalogue_is_the_cores(api: Api) -> None:
    kinds = {m["kind"] for m in api("GET", "/catalogue").json()["modules"]}
    assert {"wavetable", "lowpass", "reverb", "lfo"} <= kinds


def test_a_scala_file_is_read(api: Api) -> None:
    file = SimpleUploadedFile("fifths.scl", b"! fifths\nPure fifths\n2\n3/2\n2/1\n")
    found = api.upload("/scales", file).json()
    assert found["name"] == "Pure fifths"
    assert found["root"] == 60
    assert found["cents"] == pytest.approx([701.955, 1200.0], abs=1e-3)


@pytest.mark.parametrize(
    ("body", "words"),
    [(b"no scale\n", "not a Scala scale file"), (b"a\n" * 200_000, "larger than 256 kB")],
)
def test_what_is_no_scale_is_refused_by_name(api: Api, body: bytes, words: str) -> None:
    refused = api.upload("/scales", SimpleUploadedFile("odd.scl", body))
    assert refused.status_code == 422
    assert refused.json()["text"].startswith("odd.scl")
    assert words in refused.json()["text"]


def test_what_is_kept_in_an_older_schema_is_brought_along(sound: Sound) -> None:
    old = sound.document | {"schema": 2}
    del old["lanes"]
    for modulator in old["modulators"]:
        del modulator["rolls"]
    Sound.objects.filter(pk=sound.pk).update(document=old)
    score = sound.cue.score
    score.document = score.document | {"schema": 1}
    score.save()
    upgrade_kept(apps, None)
    sound.refresh_from_db()
    score.refresh_from_db()
    assert (sound.document["schema"], sound.document["lanes"]) == (SOUND_SCHEMA, [])
    assert score.document["schema"] == 2
    assert len(score.document["notes"]) > 0


def test_each_schema_has_a_migration_that_brings_what_is_kept_along() -> None:
    names = MigrationLoader(None).disk_migrations
    found = [re.fullmatch(r"\d+_schema_(\d+)", name) for app, name in names if app == "library"]
    assert max(int(match[1]) for match in found if match) == SOUND_SCHEMA
