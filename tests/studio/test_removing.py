"""Deleting can be undone: what is deleted is out of sight, comes back whole, and is forgotten."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.core.exceptions import ObjectDoesNotExist
from django.utils import timezone

from demo.build import by_name
from studio.library.models import Cue, Production, Sound, Version
from studio.library.removing import KEPT_FOR, bring_back, forget_old, remove
from tests.studio.conftest import Api


def listed(api: Api) -> list[tuple[str, list[tuple[str, list[str]]]]]:
    """Productions with their cues and sounds, by name."""
    return [
        (p["name"], [(c["name"], [s["name"] for s in c["sounds"]]) for c in p["cues"]])
        for p in api("GET", "/productions").json()
    ]


def removed(api: Api) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = api("GET", "/removed").json()
    return found


PATHS = {"production": "productions", "cue": "cues", "sound": "sounds", "version": "versions"}


def things(sound: Sound) -> dict[str, Any]:
    version = Version.objects.create(sound=sound, number=1, document=sound.document)
    return {
        "production": sound.cue.production,
        "cue": sound.cue,
        "sound": sound,
        "version": version,
    }


@pytest.mark.parametrize("kind", list(PATHS))
def test_what_is_deleted_can_be_brought_back(api: Api, sound: Sound, kind: str) -> None:
    thing = things(sound)[kind]
    before = listed(api)
    assert api("DELETE", f"/{PATHS[kind]}/{thing.pk}").status_code == 204
    (entry,) = removed(api)
    assert (entry["kind"], entry["id"], entry["name"]) == (kind, thing.pk, str(thing))
    if kind != "version":
        assert listed(api) != before
    assert api("DELETE", f"/{PATHS[kind]}/{thing.pk}").status_code == 404
    assert api("POST", f"/removed/{kind}/{thing.pk}").status_code == 204
    assert listed(api) == before
    assert removed(api) == []
    assert api("GET", f"/sounds/{sound.pk}/versions").json()[0]["number"] == 1


@pytest.mark.parametrize("kind", ["production", "cue", "sound"])
def test_what_is_deleted_can_be_neither_opened_nor_changed(
    api: Api, sound: Sound, kind: str
) -> None:
    """Nor a sound whose cue or production was."""
    remove(things(sound)[kind])
    patch = {"revision": 1, "patch": [{"op": "replace", "path": "/name", "value": "Late"}]}
    for answer in (
        api("GET", f"/sounds/{sound.pk}"),
        api("PATCH", f"/sounds/{sound.pk}", patch),
        api("GET", f"/sounds/{sound.pk}/file"),
        api("POST", f"/sounds/{sound.pk}/renders", {}),
    ):
        assert answer.status_code == 404
        assert "no longer there" in answer.json()["text"]
    sound.refresh_from_db(from_queryset=Sound.everything.all())
    assert sound.name == "Plain"


def test_a_sound_comes_back_with_what_it_belongs_to(api: Api, sound: Sound) -> None:
    version = things(sound)["version"]
    for thing in (version, sound, sound.cue, sound.cue.production):
        remove(thing)
    assert listed(api) == []
    assert [r["kind"] for r in removed(api)] == ["production", "cue", "sound", "version"]
    assert removed(api)[2]["where"] == "Test film / 1m1 First"
    bring_back("version", version.pk)
    assert Version.objects.get() == version
    assert removed(api) == []


def test_a_sound_that_was_deleted_by_itself_stays_so(api: Api, sound: Sound) -> None:
    """When its cue goes and comes back."""
    remove(sound)
    remove(sound.cue)
    bring_back("cue", sound.cue_id)
    assert Cue.objects.get() == sound.cue
    assert not Sound.objects.exists()
    assert [r["kind"] for r in removed(api)] == ["sound"]


def test_a_deleted_versions_number_is_not_given_again(api: Api, sound: Sound) -> None:
    path = f"/sounds/{sound.pk}/versions"
    first = api("POST", path, {}).json()
    api("DELETE", f"/versions/{first['id']}")
    second = api("POST", path, {}).json()
    assert (first["number"], second["number"]) == (1, 2)
    bring_back("version", first["id"])
    assert [v["number"] for v in api("GET", path).json()] == [2, 1]


def test_after_a_month_it_is_forgotten(api: Api, sound: Sound) -> None:
    other = Sound.objects.create(cue=sound.cue, name="Other", document=sound.document)
    for thing, age in ((sound, KEPT_FOR + timedelta(hours=1)), (other, KEPT_FOR / 2)):
        thing.removed = timezone.now() - age
        thing.save()
    assert forget_old() == 1
    assert [r["name"] for r in removed(api)] == ["Other"]
    with pytest.raises(ObjectDoesNotExist):
        bring_back("sound", sound.pk)
    assert api("POST", f"/removed/sound/{sound.pk}").status_code == 404
    assert Production.objects.exists()


def test_only_what_can_be_deleted_can_be_brought_back(api: Api, sound: Sound) -> None:
    assert api("POST", f"/removed/score/{sound.pk}").status_code == 422


def test_material_of_a_deleted_sound_is_kept_for_it(api: Api, sound: Sound) -> None:
    wire = by_name()["bowed_wire"]
    source = {"kind": "grains", "params": {"recording": wire}}
    change = [{"op": "replace", "path": "/layers/0/source", "value": source}]
    assert api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": change}).status_code == 200
    remove(Sound.objects.get())
    (entry,) = [m for m in api("GET", "/material").json() if m["card"]["key"] == wire]
    assert "Plain (deleted)" in entry["used_by"]
