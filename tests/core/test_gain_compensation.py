"""Make-up: an effect that is neither louder nor softer, by a meter from outside."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyloudnorm
import pytest

from caligo.document import read_sound
from caligo.engine.render.offline import render_array
from caligo.engine.views.gain_compensation import compensated_level
from tests.core.builders import RATE, one_note, plain_layer, plain_sound
from tests.sweeps import spread

LENGTH = 12.0


def loudness(effects: list[dict[str, Any]], place: str) -> float:
    """LUFS of a note through effects, by ITU-R BS.1770-4 as `pyloudnorm` has it."""
    signal = render_array(sound_with(effects, place), one_note(45, LENGTH))
    found: float = pyloudnorm.Meter(RATE).integrated_loudness(np.asarray(signal.T, float))
    return found


def sound_with(effects: list[dict[str, Any]], place: str) -> Any:
    """A plain layer whose effects stand in its own chain, on the bus that it goes to, or behind."""
    layer = plain_layer()
    document = plain_sound(layer).as_document()
    if place == "layer":
        document["layers"][0]["inserts"] = effects
    elif place == "master":
        document["master"]["effects"] = effects
    else:
        document["buses"] = [{"id": "nave", "name": "Nave", "effects": effects}]
        document["layers"][0]["sends"] = [
            {"id": "to", "bus": "nave", "params": {"level": 0, "from": "ahead"}}
        ]
        document["layers"][0]["params"] = {"level": -80}
    return read_sound(document)


@pytest.mark.parametrize(
    ("place", "kind", "params"),
    spread(
        ["layer", "bus", "master"],
        [
            ("compressor", {"threshold": -50, "ratio": 10, "make_up": 20}),
            ("filter", {"passes": "lows", "cutoff": 300}),
            ("chorus", {"mix": 100}),
        ],
    ),
)
def test_an_effect_that_is_made_up_for_leaves_the_loudness(
    place: str, kind: str, params: dict[str, Any]
) -> None:
    ahead = {"id": "ahead", "kind": "width", "params": {"width": 100}}
    effect = {"id": "fx", "kind": kind, "params": params}
    owner = {"layer": "ground", "bus": "nave", "master": "master"}[place]
    sound, score = sound_with([ahead, effect], place), one_note(45, LENGTH)
    found = compensated_level(sound, score, f"{owner}.fx")
    assert found is not None
    made_up = effect | {"params": params | {"output": found}}
    assert loudness([ahead, made_up], place) == pytest.approx(loudness([ahead], place), abs=0.5)
    # What its output adds is part of what it makes louder.
    assert compensated_level(
        sound_with([ahead, made_up], place), score, f"{owner}.fx"
    ) == pytest.approx(0.0, abs=0.1)


@pytest.mark.parametrize("chain", ["low", "high"])
def test_an_effect_inside_another_is_made_up_for_as_well(chain: str) -> None:
    """In a band that is all that is heard: what it is softer by, all is."""
    band = {"id": "squash", "kind": "compressor",
            "params": {"threshold": -50, "ratio": 8, "make_up": 18}}  # fmt: skip
    quiet = {"id": "away", "kind": "width", "params": {"output": -36}}
    others = [
        {"id": other, "effects": [quiet]} for other in ("low", "middle", "high") if other != chain
    ]

    def bands(effect: dict[str, Any] | None) -> list[dict[str, Any]]:
        own = {"id": chain, "effects": [effect] if effect else []}
        return [{"id": "bands", "kind": "multiband", "chains": [own, *others]}]

    sound, score = sound_with(bands(band), "layer"), one_note(45, LENGTH)
    found = compensated_level(sound, score, f"ground.bands.{chain}.squash")
    assert found is not None
    assert abs(found) > 3.0
    made_up = band | {"params": band["params"] | {"output": found}}
    plain = loudness(bands(None), "layer")
    assert loudness(bands(made_up), "layer") == pytest.approx(plain, abs=0.5)


def test_what_is_not_there_or_not_heard_is_not_made_up() -> None:
    sound = sound_with([{"id": "fx", "kind": "chorus"}], "master")
    assert compensated_level(sound, one_note(45, 4.0), "master.other") is None
    # Signals come into these as well, but they have no output to set.
    filtered = sound.as_document()
    filtered["layers"][0]["filters"] = [{"id": "f", "kind": "lowpass"}]
    for address in ("limiter", "master", "ground.f"):
        assert compensated_level(read_sound(filtered), one_note(45, 4.0), address) is None
    assert (
        compensated_level(sound, one_note(45, 4.0), "master.fx", interrupted=lambda: True) is None
    )
    silent = sound.as_document()
    silent["layers"][0]["params"]["level"] = -80
    assert compensated_level(read_sound(silent), one_note(45, 4.0), "master.fx") is None
