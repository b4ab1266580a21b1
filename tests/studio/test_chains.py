"""Chains that are kept under a name: whole, checked, and of any older schema."""

from __future__ import annotations

from typing import Any

import pytest

from studio.library import chains_api
from studio.library.models import KeptChain
from tests.studio.conftest import Api

DELAY = {"id": "delay1", "kind": "delay", "params": {"feedback": 40}}


def test_a_chain_is_kept_renamed_and_forgotten(api: Api) -> None:
    given = {"name": "Far wall", "family": "effect", "parts": [DELAY]}
    kept = api("POST", "/chains", given)
    assert kept.status_code == 201
    # What it does not say is filled in, as in a sound.
    assert kept.json()["parts"][0]["params"]["output"] == 0.0
    path = f"/chains/{kept.json()['id']}"
    assert api("PATCH", path, {"name": "Near wall"}).json()["name"] == "Near wall"
    found = api("GET", "/chains").json()
    assert [(chain["name"], chain["family"]) for chain in found] == [("Near wall", "effect")]
    assert found[0]["parts"][0]["params"]["feedback"] == 40
    assert api("DELETE", path).status_code == 204
    assert api("GET", "/chains").json() == []
    assert api("DELETE", path).status_code == 404


def test_what_could_not_stand_in_a_sound_is_not_kept(api: Api) -> None:
    def keep(**given: object) -> int:
        code: int = api("POST", "/chains", {"name": "A", "family": "effect", **given}).status_code
        return code

    assert keep(parts=[]) == 422
    assert keep(parts=[{"id": "a", "kind": "nothing"}]) == 422
    assert keep(parts=[DELAY | {"params": {"feedback": 900}}]) == 422
    assert keep(parts=[DELAY], family="source") == 422
    assert keep(parts=[{"id": "f", "kind": "lowpass"}]) == 422
    assert keep(parts=[{"id": "f", "kind": "lowpass"}], family="filter") == 201
    assert KeptChain.objects.count() == 1


def test_not_more_are_kept_than_can_be(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(chains_api, "MOST", 1)
    given = {"name": "A", "family": "effect", "parts": [DELAY]}
    assert api("POST", "/chains", given).status_code == 201
    answer = api("POST", "/chains", given)
    assert answer.status_code == 422
    assert "delete some" in answer.json()["text"]


def test_a_chain_of_schema_4_is_as_loud_as_it_was(api: Api) -> None:
    reverb = {"id": "r", "kind": "reverb", "params": {"decay": 14.0, "size": 160.0}}
    KeptChain.objects.create(name="Old", family="effect", document={"schema": 4, "parts": [reverb]})
    # One that nobody understands any more hides no other.
    KeptChain.objects.create(name="A", family="effect", document={"schema": 4, "parts": [{}]})
    assert api("GET", "/chains").json()[0]["parts"][0]["params"]["level"] == 6.01


MOVING = {
    "modulators": [
        {"id": "lfo1", "name": "Tide", "kind": "lfo"},
        {"id": "lfo2", "name": "Turn", "kind": "lfo"},
    ],
    "routes": [
        {"id": "a", "from": "lfo1", "to": "chain.delay1.feedback", "depth": 5},
        {"id": "b", "from": "lfo2", "to": "lfo1.period", "depth": 1},
    ],
}


def test_a_chain_is_kept_with_what_moves_it(api: Api) -> None:
    given = {"name": "Far wall", "family": "effect", "parts": [DELAY], **MOVING}
    kept = api("POST", "/chains", given).json()
    assert [m["name"] for m in kept["modulators"]] == ["Tide", "Turn"]
    assert kept["modulators"][0]["params"]["shape"] == "sine"
    assert [(r["from"], r["to"]) for r in kept["routes"]] == [
        ("lfo1", "chain.delay1.feedback"),
        ("lfo2", "lfo1.period"),
    ]
    (found,) = api("GET", "/chains").json()
    assert found == kept


@pytest.mark.parametrize(
    "wrong",
    [
        {"routes": [{"id": "a", "from": "lfo9", "to": "chain.delay1.feedback", "depth": 5}]},
        {"routes": [{"id": "a", "from": "lfo1", "to": "chain.delay9.feedback", "depth": 5}]},
        {"modulators": [{"id": "lfo1", "name": "Tide", "kind": "nothing"}]},
        {"modulators": [{"id": f"m{i}", "name": "M", "kind": "lfo"} for i in range(33)]},
    ],
)
def test_movement_that_could_not_be_in_a_sound_is_not_kept(api: Api, wrong: dict[str, Any]) -> None:
    given = {"name": "A", "family": "effect", "parts": [DELAY], **MOVING, **wrong}
    assert api("POST", "/chains", given).status_code == 422
    assert KeptChain.objects.count() == 0


def test_a_chain_that_was_kept_without_movement_has_none(api: Api) -> None:
    KeptChain.objects.create(name="Old", family="effect", document={"schema": 8, "parts": [DELAY]})
    (found,) = api("GET", "/chains").json()
    assert found["modulators"] == found["routes"] == []
