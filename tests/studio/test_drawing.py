"""What a worker keeps between two drawings of a sound."""

from __future__ import annotations

from typing import Any

import pytest

from caligo.document import Sound, read_sound
from caligo.document.held import held_chord
from studio.stage import drawing
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
