"""What a worker keeps between two drawings of a sound."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import pytest

from caligo.document import Sound, read_sound
from caligo.document.held import held_chord
from caligo.engine.views.long_view import COLUMNS
from studio.live import drawing
from studio.live.packets import TILE, TRAJECTORIES
from tests.core.builders import layer_of, plain_sound

SCORE = held_chord("C3", 4.0)


@pytest.fixture
def made(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The layers whose pictures are really made, in order."""
    found: list[str] = []
    real = drawing.picture

    def watched(sound: Sound, score: Any, layer: Any, **more: Any) -> dict[str, Any]:
        found.append(layer.id)
        return real(sound, score, layer, **more)

    drawing._pictures.clear()
    monkeypatch.setattr(drawing, "picture", watched)
    return found


def two_layers(**params: Any) -> Sound:
    """Two layers, the second with these values."""
    second = {**layer_of("harmonic", **params), "id": "other", "name": "Other"}
    return plain_sound(None, layers=[layer_of("harmonic"), second])


def shown(sound: Sound, still: bool = False) -> list[dict[str, Any]]:
    return [drawing._picture(sound, SCORE, layer, still) for layer in sound.layers]


def test_a_layer_that_an_edit_leaves_alone_is_not_looked_at_again(made: list[str]) -> None:
    before = shown(two_layers(count=4))
    after = shown(two_layers(count=9))
    assert made == ["ground", "other", "other"]
    assert after[0] is before[0]
    assert after[1] != before[1]


def test_what_moves_a_layer_is_part_of_its_picture(made: list[str]) -> None:
    data = two_layers().as_document()
    data["modulators"] = [{"id": "m", "name": "M", "kind": "lfo"}]
    data["routes"] = [{"id": "r", "from": "m", "to": "other.source.tilt", "depth": 6}]
    shown(two_layers())
    shown(read_sound(data))
    shown(read_sound(data), still=True)
    assert made == ["ground", "other", "other", "ground", "other"]


def test_only_the_newest_pictures_are_kept(
    made: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(drawing, "MOST_PICTURES", 3)
    for count in (2, 3, 4, 5):
        shown(two_layers(count=count))
    assert len(drawing._pictures) == 3
    shown(two_layers(count=2))
    assert made[-1] == "other"


def drawings(folder: Path, sound: Sound) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    """The headers of the tiles, and the other messages, of one drawing."""
    tiles, news = [], []
    for part in drawing.draw(sound, SCORE, 1, False, (folder, 1 << 30), interrupted=lambda: False):
        if isinstance(part, str):
            news.append(json.loads(part))
            continue
        kind, length = struct.unpack("<II", part[:8])
        if kind == TILE:
            tiles.append(json.loads(part[8 : 8 + length]))
    return tiles, news


def test_what_was_drawn_before_is_shown_at_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    sound = two_layers()
    first, output = drawings(tmp_path, sound)
    assert not first[0]["fine"]
    summary = next(one for one in output if one["type"] == "summary")

    def none(*_: Any, **__: Any) -> Any:
        raise AssertionError("something was rendered again")

    with monkeypatch.context() as within:
        within.setattr(drawing, "probes", none)
        within.setattr(drawing, "fine", none)
        again, output = drawings(tmp_path, sound)
    assert [(one["fine"], one["first"], one["columns"]) for one in again] == [(True, 0, COLUMNS)]
    assert next(one for one in output if one["type"] == "summary") == summary
    # An edit makes another picture, on the ground of this one.
    edited, _ = drawings(tmp_path, two_layers(count=9))
    assert [one["columns"] for one in edited if not one["fine"]] == [COLUMNS]
    assert any(one["fine"] for one in edited)


def test_stems_that_are_gone_are_rendered_again_without_a_word(tmp_path: Path) -> None:
    sound, score = two_layers(), held_chord("C3", 25.0)

    def messages() -> int:
        stems = (tmp_path, 1 << 30)
        return len(list(drawing.draw(sound, score, 1, False, stems, interrupted=lambda: False)))

    messages()
    shown_at_once = messages()
    stems = list(tmp_path.glob("*.stem"))
    assert stems
    for path in stems:
        path.unlink()
    assert messages() == shown_at_once
    assert {path.name for path in tmp_path.glob("*.stem")} == {path.name for path in stems}


def drawn_kinds(tmp_path: Path, stop: bool) -> list[int | str]:
    """The kinds of packets, and types of messages, that a drawing gives."""
    parts = drawing.draw(
        plain_sound(layer_of("harmonic")), SCORE, 1, False, (tmp_path, 10**8),
        interrupted=lambda: stop,
    )  # fmt: skip
    return [
        struct.unpack_from("<I", part)[0] if isinstance(part, bytes) else json.loads(part)["type"]
        for part in parts
    ]


def test_while_a_gesture_goes_on_only_trajectories_are_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    now = [1000.0]
    monkeypatch.setattr(drawing.time, "monotonic", lambda: now[0])
    monkeypatch.setattr(drawing.time, "sleep", lambda s: now.__setitem__(0, now[0] + s))
    monkeypatch.setattr(drawing, "_asked_at", 0.0)
    assert drawn_kinds(tmp_path, stop=False)[:2] == [TRAJECTORIES, TILE]
    now[0] += 0.1
    assert drawn_kinds(tmp_path, stop=True) == [TRAJECTORIES]
    # Where the hand rests, all is drawn after a moment.
    before = now[0]
    assert TILE in drawn_kinds(tmp_path, stop=False)
    assert now[0] - before == pytest.approx(drawing.PAUSE, abs=0.02)
