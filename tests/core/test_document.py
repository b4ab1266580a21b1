"""Documents: what is valid, what is said about what is not, edits and their inverses."""

from __future__ import annotations

import copy
import json
from pathlib import Path
from typing import Any

import jsonschema
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from caligo.document import (
    DocumentError,
    Score,
    Sound,
    apply_patch,
    find_parameter,
    moved_parameters,
    read_score,
    read_sound,
)
from caligo.document.upgrading import upgraded_sound
from caligo.engine.layers.voicing import Voicing
from caligo.formats.schema import json_schemas
from caligo.material.store import current
from caligo.movement.movement import Movement
from caligo.synthesis.common import unison
from caligo.synthesis.drawing import evening
from caligo.synthesis.source import VOICE_RMS
from demo.pads import dome_air
from tests.core.builders import moving_sound, one_note

DEMO = Path(__file__).parents[2] / "demo"


def smallest() -> dict[str, Any]:
    return {"name": "X", "layers": [{"id": "a", "name": "A", "source": {"kind": "wavetable"}}]}


def problems(data: Any) -> dict[str, str]:
    with pytest.raises(DocumentError) as caught:
        read_sound(data)
    return {p.address: str(p) for p in caught.value.problems}


def test_missing_parameters_take_their_defaults() -> None:
    layer = read_sound(smallest()).layers[0]
    assert layer.source.params["table"] == "saw"
    assert layer.number("level") == 0.0


def test_reading_what_was_written_changes_nothing() -> None:
    document = moving_sound().as_document()
    assert read_sound(json.loads(json.dumps(document))).as_document() == document


@pytest.mark.parametrize("path", sorted(DEMO.glob("sounds/*.json")), ids=lambda p: p.stem)
def test_demo_sounds_fit_the_published_schema(path: Path) -> None:
    schema = json_schemas()["sound"]
    jsonschema.Draft202012Validator(schema).validate(json.loads(path.read_text()))


@pytest.mark.parametrize("path", sorted(DEMO.glob("scores/*.json")), ids=lambda p: p.stem)
def test_demo_scores_fit_the_published_schema(path: Path) -> None:
    jsonschema.Draft202012Validator(json_schemas()["score"]).validate(json.loads(path.read_text()))


def test_published_schema_refuses_what_the_reader_refuses() -> None:
    data = read_sound(smallest()).as_document()
    data["layers"][0]["source"]["params"]["unison"] = 99
    with pytest.raises(jsonschema.ValidationError, match="99"):
        jsonschema.Draft202012Validator(json_schemas()["sound"]).validate(data)
    assert "ground" not in problems(data)


def test_value_out_of_range_names_address_value_and_range() -> None:
    data = smallest()
    data["layers"][0]["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": 90_000}}]
    said = problems(data)["a.f.cutoff"]
    assert "90000" in said
    assert "20 to 20000 Hz" in said


def test_every_problem_is_reported_at_once() -> None:
    data = smallest()
    data["layers"][0]["params"] = {"level": 99, "colour": 3}
    data["layers"][0]["source"]["params"] = {"table": "brass", "unison": 2.5}
    found = problems(data)
    assert set(found) == {"a.level", "a.colour", "a.source.table", "a.source.unison"}
    assert "whole number" in found["a.source.unison"]


def test_unknown_fields_are_named_by_their_ids() -> None:
    data = smallest() | {"shine": 1}
    data["layers"][0]["glow"] = True
    found = problems(data)
    assert "remove it" in found["shine"]
    assert "remove it" in found["a.glow"]


@pytest.mark.parametrize(
    ("change", "address"),
    [
        ({"modulators": [{"id": "m", "name": "M", "kind": "gong"}]}, "m.kind"),
        ({"routes": [{"id": "r", "from": "m", "to": "a.pan", "depth": 1}]}, "routes.r.from"),
        ({"buses": [{"id": "a", "name": "B"}]}, "a"),
        ({"layers": []}, "layers"),
        ({"schema": 14}, "schema"),
        ({"name": 3}, "name"),
    ],
)
def test_broken_references_and_structure(change: dict[str, Any], address: str) -> None:
    assert address in problems(smallest() | change)


@pytest.mark.parametrize(
    ("to", "depth", "says"),
    [
        ("a.nothing", 1, "no such parameter"),
        ("a.source.table", 1, "cannot be moved"),
        ("a.pan", 900, "-200 to 200 %"),
    ],
)
def test_impossible_routes(to: str, depth: float, says: str) -> None:
    data = smallest()
    data["modulators"] = [{"id": "m", "name": "M", "kind": "lfo"}]
    data["routes"] = [{"id": "r", "from": "m", "to": to, "depth": depth}]
    assert any(says in text for text in problems(data).values())


@pytest.mark.parametrize("value", [float("nan"), float("inf")])
def test_numbers_that_are_none_are_refused(value: float) -> None:
    data = smallest()
    data["layers"][0]["params"] = {"level": value}
    assert problems(data)


@pytest.mark.parametrize(
    ("time", "fine"),
    [
        ({"value": 600, "unit": "s"}, True),
        ({"value": 601, "unit": "s"}, False),
        ({"value": 0.5, "unit": "hold"}, True),
        ({"value": 16, "unit": "beats"}, True),
        ({"value": -1, "unit": "beats"}, False),
        ({"value": 1, "unit": "weeks"}, False),
        (3, False),
    ],
)
def test_times_are_judged_in_their_own_unit(time: Any, fine: bool) -> None:
    data = smallest()
    data["layers"][0]["envelope"] = {"params": {"attack": time}}
    if fine:
        read_sound(data)
    else:
        assert problems(data)


@pytest.mark.parametrize("junk", [None, [], "text", 3])
def test_what_is_no_object_is_refused(junk: Any) -> None:
    assert "JSON object" in problems(junk)[""]


def test_addresses_survive_reordering() -> None:
    data = moving_sound().as_document()
    data["layers"][0]["filters"].reverse()
    found = find_parameter(read_sound(data), "ground.filter1.cutoff")
    assert found is not None
    assert found.part.kind == "lowpass"
    assert len(moved_parameters(read_sound(data))) == 6


def test_score_ids_are_unique() -> None:
    note = {"id": "n", "pitch": 60, "start": 0, "length": 1}
    with pytest.raises(DocumentError, match="used twice"):
        read_score({"notes": [note, note]})


EDITS = st.lists(
    st.sampled_from(
        [
            {"op": "replace", "path": "/name", "value": "Other"},
            {"op": "add", "path": "/tags/-", "value": "dark"},
            {"op": "replace", "path": "/layers/0/source/params/unison", "value": 5},
            {"op": "replace", "path": "/layers/0/filters/0/params/cutoff", "value": 333},
            {"op": "remove", "path": "/routes/0"},
            {"op": "add", "path": "/routes/0", "value": {"id": "new", "from": "swell",
                                                          "to": "ground.pan", "depth": 20}},
            {"op": "replace", "path": "/layers/0/mute", "value": True},
        ]
    ),
    min_size=1,
    max_size=4,
)  # fmt: skip


@given(EDITS)
def test_every_edit_can_be_taken_back(operations: list[dict[str, Any]]) -> None:
    before = moving_sound().as_document()
    kept = copy.deepcopy(before)
    try:
        edited = apply_patch(before, operations, read_sound, lambda s: s.as_document())
    except DocumentError:
        assert before == kept
        return
    back = apply_patch(edited.data, edited.inverse, read_sound, lambda s: s.as_document())
    assert back.data == before == kept


@pytest.mark.parametrize(
    "operation",
    [
        {"op": "replace", "path": "/nowhere/3", "value": 1},
        {"op": "fly", "path": "/name"},
        {"op": "add"},
        {"op": "replace", "path": "/layers/0/params/level", "value": 99},
    ],
)
def test_edits_that_do_not_fit_leave_the_document_alone(operation: dict[str, Any]) -> None:
    before = moving_sound().as_document()
    kept = copy.deepcopy(before)
    with pytest.raises(DocumentError):
        apply_patch(before, [operation], read_sound, lambda s: s.as_document())
    assert before == kept


def test_scores_are_written_under_their_published_names() -> None:
    assert Score().model_dump(mode="json")["schema"] == 2


def test_a_document_of_schema_1_means_what_it_meant() -> None:
    """Kept as it was written before buses could send and effects could hold chains."""
    old = json.loads((Path(__file__).parent / "old" / "schema1_dome_air.json").read_text())
    sound = read_sound(old)
    assert sound.schema_version == 13
    assert all(send.text("from") == "behind" for layer in sound.layers for send in layer.sends)
    assert sound.as_document() == as_before(read_sound(dome_air()))


def as_before(sound: Sound) -> dict[str, Any]:
    """Dome Air with the even, still unison, the loud space and the own speed of older documents."""
    document = sound.as_document()
    for layer in document["layers"]:
        layer["source"]["params"] |= {"irregularity": 0.0, "drift": 0.0}
    chorus, reverb = document["buses"][0]["effects"]
    chorus["params"] |= {"law": "linear", "paced": False}
    # A decay of 9 s and a size of 130 %.
    reverb["params"]["level"] = 4.94
    return document


def test_a_bright_reverb_of_schema_6_is_as_dark_as_it_was() -> None:
    """Noise through both engines: darker by 2.3 dB at 8 kHz, where 20 kHz was asked for."""
    reverb = {"id": "r", "kind": "reverb", "params": {"damping": 20_000}}
    inside = {"id": "s", "kind": "multiband", "chains": [{"id": "low", "effects": [reverb]}]}
    document = {"name": "Bright", "master": {"effects": [reverb | {"id": "t"}, inside]}}
    for schema, expected in ((6, 11_428.3), (8, 20_000.0)):
        effects = upgraded_sound(document | {"schema": schema})["master"]["effects"]
        assert effects[0]["params"]["damping"] == expected
        assert effects[1]["chains"][0]["effects"][0]["params"]["damping"] == expected
    points = [{"time": 0.0, "value": 20_000.0}, {"time": 1.0, "value": 800.0}]
    document["master"]["id"] = "master"
    document["lanes"] = [
        {"id": to, "to": f"{to}.damping", "points": points}
        for to in ("master.t", "master.s.low.r", "other.t")
    ]
    found = [lane["points"] for lane in upgraded_sound(document | {"schema": 6})["lanes"]]
    assert [[point["value"] for point in lane] for lane in found] == [
        [11_428.3, 800.0], [11_428.3, 800.0], [20_000.0, 800.0],
    ]  # fmt: skip
    for damping in (9_000.0, "bright", None, -1.0, 1e9):
        reverb["params"] = {"damping": damping}
        effects = upgraded_sound({"schema": 6, "master": {"effects": [reverb]}})["master"][
            "effects"
        ]
        assert effects[0]["params"]["damping"] == damping


def offsets_of(sound: Sound) -> list[float]:
    """Fractions of detune of the first layer's unison."""
    source = sound.layers[0].source
    found: list[float] = unison(source, 5).offsets(source.number("irregularity")).tolist()
    return found


def test_a_document_of_schema_3_keeps_its_even_unison() -> None:
    """Kept as it was written before the oscillators of a unison could lie unevenly."""
    old = json.loads((Path(__file__).parent / "old" / "schema3_dome_air.json").read_text())
    sound = read_sound(old)
    assert sound.layers[0].source.params["irregularity"] == 0.0
    assert offsets_of(sound) == np.linspace(-1.0, 1.0, 7).tolist()
    assert offsets_of(read_sound(dome_air())) != offsets_of(sound)


def test_a_document_of_schema_4_keeps_how_loud_its_spaces_were() -> None:
    """Kept as it was written before a reverb was as loud as what goes in; a frozen one too."""
    old = json.loads((Path(__file__).parent / "old" / "schema4_night_watch.json").read_text())
    reverb = next(e for bus in read_sound(old).buses for e in bus.effects if e.kind == "reverb")
    assert reverb.params["level"] == 4.47
    # What is inside an effect too, and what unison an older document said.
    inner = {"id": "r", "kind": "reverb", "params": {"decay": 1.0, "size": 40.0}}
    old["master"]["effects"] = [
        {"id": "m", "kind": "multiband", "chains": [{"id": "low", "effects": [inner]}]}
    ]
    sound = read_sound(old)
    assert sound.master.effects[0].chains[0].effects[0].params["level"] == pytest.approx(0.6, abs=1)
    assert sound.layers[0].source.params == read_sound(old | {"schema": 5}).layers[0].source.params


def test_a_document_of_schema_5_keeps_a_unison_that_does_not_drift() -> None:
    """Kept as it was written before the oscillators of a unison could drift."""
    old = json.loads((Path(__file__).parent / "old" / "schema5_dome_air.json").read_text())
    sound = read_sound(old)
    assert sound.layers[0].source.params["drift"] == 0.0
    assert sound.layers[0].source.params["irregularity"] > 0.0
    assert sound.buses == read_sound(old | {"schema": 6}).buses
    assert read_sound(dome_air()).layers[0].source.params["drift"] > 0.0


def test_a_document_of_schema_6_keeps_how_loud_its_recordings_were() -> None:
    """Kept as it was written before recordings came to one level by their loudness."""
    old = json.loads((Path(__file__).parent / "old" / "schema6_slit_wind.json").read_text())
    sources = [layer.source for layer in read_sound(old).layers]
    of_wind = next(source for source in sources if source.kind == "spectral")
    assert of_wind.params["evened"] == "moments"
    wind = current().recording(of_wind.text("recording"))
    assert wind is not None
    assert evening(of_wind, wind) == VOICE_RMS / wind.level
    # All else is as new sounds have it; what an older document says itself stays.
    assert all("evened" not in s.params for s in sources if s.kind not in ("spectral", "grains"))
    source = {"kind": "grains", "params": {"evened": "loudness"}}
    layer = {"id": "a", "name": "A", "source": source}
    found = read_sound({"schema": 6, "name": "Old", "layers": [layer]})
    assert found.layers[0].source.params["evened"] == "loudness"


def stiffness_over(sound: Sound, times: Any) -> Any:
    """The stiffness of the layer ``a`` of a sound, in millionths ``[times]``."""
    score = one_note(60, 8.0)
    movement = Movement(sound, score)
    voicing = Voicing(sound, score.notes, movement.setting.tempo)
    moments = voicing.moments(times, voicing.all)
    base, octaves = (
        movement.trajectory(f"a.source.{key}").values(moments)[0]
        for key in ("stiffness", "stiffness_by")
    )
    return base * 2.0**octaves


def test_a_document_of_schema_7_keeps_what_moved_its_stiffness() -> None:
    """By octaves from a tenth of a millionth on, which stood for none."""
    source = {"kind": "harmonic", "params": {}}
    old = {
        "schema": 7,
        "name": "Old",
        "layers": [{"id": "a", "name": "A", "source": source}],
        "modulators": [
            {"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 4.0}}}
        ],
        "routes": [{"id": "r", "from": "m", "to": "a.source.stiffness", "depth": 3.0}],
    }
    times = np.linspace(0.0, 8.0, 65)
    still = read_sound(old | {"routes": []})
    assert still.layers[0].source.params["stiffness"] == 0.0
    # A sine over four seconds from its middle on.
    way = np.sin(0.5 * np.pi * times)
    expected = 0.1 * 2.0 ** (3.0 * way)
    assert stiffness_over(read_sound(old), times) == pytest.approx(expected, rel=0.01)
    source["params"] = {"stiffness": 800.0}
    assert read_sound(old | {"routes": []}).layers[0].source.params["stiffness"] == 800.0
    lane = {"id": "l", "to": "a.source.stiffness", "points": [
        {"time": 0.0, "value": 50.0}, {"time": 8.0, "value": 3200.0}]}  # fmt: skip
    drawn = read_sound(old | {"lanes": [lane]})
    expected = 50.0 * 2.0 ** (6.0 * times / 8.0 + 3.0 * way)
    assert stiffness_over(drawn, times) == pytest.approx(np.minimum(expected, 2e5), rel=0.01)


@pytest.mark.parametrize(
    "broken",
    [
        None,
        7,
        [None],
        [{"effects": 3}],
        [{"effects": [{"kind": "reverb", "params": []}]}],
        [{"effects": [{"kind": "reverb", "params": {"decay": "x"}}]}],
        [{"effects": [{"kind": "reverb", "params": {"decay": -1}}]}],
    ],
)
def test_a_broken_old_bus_is_still_told_of(broken: Any) -> None:
    layer = {"id": "a", "name": "A", "source": {"kind": "noise"}}
    with pytest.raises(DocumentError):
        read_sound({"schema": 4, "name": "Old", "layers": [layer], "buses": broken})


@pytest.mark.parametrize("layers", [None, 5, [None], [{}], [{"source": 1}],
                                    [{"source": {"kind": "grains", "params": 3}}]])  # fmt: skip
def test_a_broken_old_document_is_still_told_of(layers: Any) -> None:
    with pytest.raises(DocumentError):
        read_sound({"schema": 3, "name": "Old", "layers": layers})


@pytest.mark.parametrize("schema", [1, 3, 6])
@pytest.mark.parametrize(
    "broken",
    [
        {"layers": 5},
        {"buses": "x"},
        {"lanes": [1, None, {"to": [], "points": []}, {"to": "master.r.damping", "points": [3]}]},
        {"master": {"effects": [{"kind": "reverb", "params": {"damping": None}}]}},
        {"master": {"id": [], "effects": [{"id": {}, "kind": "reverb", "chains": [[]]}]}},
    ],
)
def test_a_broken_old_document_is_refused_with_its_problems(
    broken: dict[str, Any], schema: int
) -> None:
    with pytest.raises(DocumentError):
        read_sound({"schema": schema, "name": "Broken", "layers": []} | broken)
