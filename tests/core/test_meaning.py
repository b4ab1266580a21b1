"""What `check` says: every problem in one line, and warnings for what does nothing."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from caligo.command.main import main
from caligo.document import DocumentError, Note, Score, read_sound
from caligo.document.meaning import in_words, warnings
from caligo.engine.render.offline import render_array
from caligo.engine.views.trajectories import trajectories
from demo.pads import dome_air
from demo.sounds import SOUNDS
from tests.core.builders import one_note, plain_layer, plain_sound


def output(document: dict[str, Any]) -> dict[str, str]:
    return {problem.address: problem.message for problem in warnings(read_sound(document))}


def changed(source: dict[str, Any] | None = None, **layer: Any) -> dict[str, Any]:
    document = dome_air()
    document["routes"] = []
    if source is not None:
        document["layers"][0]["source"] = {"id": "source", **source}
    document["layers"][0].setdefault("params", {}).update(layer)
    return document


@pytest.mark.parametrize("make", SOUNDS)
def test_the_demo_needs_no_warning(make: Any) -> None:
    assert warnings(read_sound(make())) == []


MODULATION = {"id": "x", "kind": "modulation", "params": {}}
CASES = [
    (changed({"kind": "harmonic", "params": {"rule": "list", "list": []}}), "ground.source.list"),
    (changed({"kind": "grains"}), "ground.source.recording"),
    (changed({"kind": "spectral"}), "ground.source.recording"),
    (changed({"kind": "wavetable", "params": {"table": "cut"}}), "ground.source.cut"),
    (changed({"kind": "operators", "items": [MODULATION]}), "ground.source.x.to"),
    (changed(key_low=70, key_high=60), "ground.key_low"),
    (
        changed({"kind": "wavetable", "params": {"pattern": "own", "intervals": []}}),
        "ground.source.intervals",
    ),
]


@pytest.mark.parametrize(("document", "address"), CASES, ids=[address for _, address in CASES])
def test_what_does_nothing_is_told(document: dict[str, Any], address: str) -> None:
    assert address in output(document)


def test_modulators_without_routes_are_told() -> None:
    """Also a macro; one that scales a route has a part in it."""
    document = dome_air()
    name = document["modulators"][0]["id"]
    assert name not in output(document)
    document["routes"] = [route for route in document["routes"] if route["from"] != name]
    assert "moves nothing" in output(document)[name]
    document["routes"][0]["scaled_by"] = name
    assert name not in output(document)


@pytest.mark.parametrize(
    ("scope", "target", "told"),
    [
        ("note", "a.pan", True),
        ("note", "master.level", True),
        ("sound", "a.pan", False),
        ("note", "a.note_pan", False),
        ("note", "n.period", False),
    ],
)
def test_what_each_note_moves_of_what_all_share_is_told(
    scope: str, target: str, told: bool
) -> None:
    movers = [
        {"id": "m", "name": "Unrest", "kind": "random", "scope": scope},
        {"id": "n", "name": "Other", "kind": "lfo", "scope": "note"},
    ]
    routes = [
        {"id": "r", "from": "m", "to": target, "depth": 1},
        {"id": "s", "from": "n", "to": "a.source.fine", "depth": 1},
    ]
    layer = {"id": "a", "name": "A", "source": {"kind": "wavetable"}}
    sound = read_sound({"name": "Test", "layers": [layer], "modulators": movers, "routes": routes})
    found = {p.address: p.message for p in warnings(sound)}
    assert set(found) == ({"routes.r"} if told else set())
    assert not told or "the newest note rules" in found["routes.r"]
    if told:  # velocity has values for each note whatever its scope says
        movers[0] |= {"kind": "velocity", "scope": "sound"}
        other = {"name": "Test", "layers": [layer], "modulators": movers, "routes": routes}
        assert [p.address for p in warnings(read_sound(other))] == ["routes.r"]
    routes[0]["rule"] = "mean"
    sound = read_sound({"name": "Test", "layers": [layer], "modulators": movers, "routes": routes})
    assert warnings(sound) == [], "what was chosen needs no remark"


def test_an_entry_at_a_filter_that_is_not_there_is_told() -> None:
    document = changed()
    count = len(document["layers"][0]["filters"])
    for entry, told in ((count, False), (count + 1, True)):
        document["layers"][0]["source"]["params"]["entry"] = str(entry)
        assert ("ground.source.entry" in output(document)) is told


def test_routes_to_what_is_off_are_told() -> None:
    document = dome_air()
    names = {route["id"]: route["to"] for route in document["routes"]}
    assert output(document) == {}
    document["layers"][0]["filters"][0]["bypass"] = True
    found = output(document)
    there = {f"routes.{name}" for name, to in names.items() if to.startswith("ground.filter1.")}
    assert there
    assert set(found) == there
    assert all("bypassed" in message for message in found.values())
    document["layers"][0]["filters"][0]["bypass"] = False
    document["routes"][0]["depth"] = 0.0
    assert "by nothing" in output(document)[f"routes.{document['routes'][0]['id']}"]


def test_the_screen_says_names() -> None:
    document = dome_air()
    document["layers"][0]["filters"][0]["bypass"] = True
    document["layers"][0].setdefault("params", {}).update(key_low=70, key_high=60)
    sound = read_sound(document)
    words = [in_words(sound, problem) for problem in warnings(sound)]
    assert words[0].startswith("Ground, lowest key: the lower end lies above")
    assert "Dawn moves Ground's Low-pass cutoff, which is bypassed" in words


def test_an_empty_list_of_partials_is_silent() -> None:
    sound = read_sound(changed({"kind": "harmonic", "params": {"rule": "list", "list": []}}))
    assert not render_array(sound, one_note(60, 1.0)).any()


def test_envelopes_that_follow_each_other_are_refused() -> None:
    def operator(name: str, other: str) -> dict[str, Any]:
        params = {"shape": "other", "shape_of": other}
        return {"id": name, "kind": "operator", "params": params}

    items = [operator("a", "b"), operator("b", "c"), operator("c", "a")]
    with pytest.raises(DocumentError, match="in a circle"):
        read_sound(changed({"kind": "operators", "items": items}))
    items[2]["params"]["shape"] = "own"
    read_sound(changed({"kind": "operators", "items": items}))


def problems(document: dict[str, Any]) -> list[str]:
    with pytest.raises(DocumentError) as refused:
        read_sound(document)
    return [str(problem) for problem in refused.value.problems]


def test_each_problem_is_said_in_one_line_with_what_would_do() -> None:
    document = dome_air()
    document["modulators"][0]["params"] = {"period": 4}
    document["layers"][0]["source"]["params"] = {"table": 3, "position": "high"}
    document["layers"][0]["envelope"]["params"] = {"attack": {"value": 4, "unit": "min"}}
    document["layers"][0]["glow"] = True
    document["routes"][0]["to"] = "ground.filter1.cutof"
    found = problems(document)
    assert len(found) == 6, found  # none hides another
    assert all("\n" not in line and len(line) < 400 for line in found)

    def line(start: str) -> str:
        return next(text for text in found if text.startswith(start))

    name = document["modulators"][0]["id"]
    assert "written with its unit" in line(f"{name}.period")
    assert '{"value": 4, "unit": "s"}' in line(f"{name}.period")
    assert "chosen by its name" in line("ground.source.table")
    assert "a number is wanted" in line("ground.source.position")
    assert "s, beats or hold" in line("ground.envelope.attack")
    assert "remove it" in line("ground.glow")
    assert "ground.filter1.cutoff" in line("routes.")
    assert not any("Input should" in text or "pydantic" in text for text in found)


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, str]:
    try:
        status = main(list(arguments))
    except SystemExit as ended:
        status = int(ended.code or 0)
    printed = capsys.readouterr()
    return status, (printed.err or printed.out).strip().splitlines()[-1]


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--minutes", "0"), "held for a second to 240 minutes"),
        (("--minutes", "-1"), "held for a second to 240 minutes"),
        (("--minutes", "nan"), "held for a second to 240 minutes"),
        (("--block", "0"), "not a whole number from 64"),
        (("--threads", "0"), "not a whole number from 1"),
        (("--threads", "9" * 400), "not a whole number from 1"),
        (("--to", "500"), "lies past the end"),
        (("--from", "300"), "does not lie before the end"),
        (("--from", "-1"), "not a time"),
        (("--score", "demo/sounds/dome_air.json"), "is a sound; --score wants a score"),
    ],
    ids=lambda given: " ".join(given)[:20] if isinstance(given, tuple) else "",
)
def test_odd_arguments_are_answered(
    capsys: pytest.CaptureFixture[str], arguments: tuple[str, ...], words: str
) -> None:
    status, line = said(capsys, "render", "Dome Air", *arguments, "-o", "/nowhere/x.wav")
    assert status == 2
    assert words in line


def test_trace_shows_cutoffs_that_go_along_with_the_key() -> None:
    """At 100 % a cutoff doubles with each octave over middle C (ISO 16: C4 is 261.63 Hz)."""
    layer = plain_layer(table="sine")
    layer["params"] = layer.get("params", {}) | {"octave": 1}
    layer["filters"] = [
        {"id": "f", "kind": "lowpass", "params": {"cutoff": 500, "key_follow": 100}},
        {"id": "g", "kind": "highpass", "params": {"cutoff": 30, "key_follow": 0}},
    ]
    notes = [
        Note(id=f"n{key}", pitch=key, start=start, length=5.0, velocity=90)
        for key, start in ((24, 0.0), (61, 2.0), (108, 5.0))
    ]
    found = trajectories(plain_sound(layer), Score(length=10.0, notes=notes), 10, each_note=True)
    assert list(found.notes) == ["ground.f.cutoff"]
    for note in notes:
        line = found.notes["ground.f.cutoff"][note.id]
        begun = [note.start <= time for time in found.times]
        assert [value is not None for value in line] == begun
        wanted = 500.0 * 2.0 ** ((note.pitch + 12 - 60) / 12.0)
        assert [v for v in line if v is not None] == pytest.approx([wanted] * sum(begun), rel=1e-6)


def test_trace_shows_every_note(capsys: pytest.CaptureFixture[str]) -> None:
    main(["trace", "Gelatin Choir", "--points", "5", "--minutes", "1"])
    traced = json.loads(capsys.readouterr().out)
    by_note = traced["notes"]["high.filter1.cutoff"]
    assert len(by_note) == 4
    values = np.array([by_note[name] for name in sorted(by_note)], dtype=float)
    assert (np.diff(values, axis=0) > 0).all(), "higher keys, higher cutoffs"
