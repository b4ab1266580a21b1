"""Pictures of sources show what the sources do."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np
import pytest
import scipy.signal

from caligo.catalogue import catalogue
from caligo.engine.views.pictures import HIGHEST, LOWEST, MOMENTS, ROWS, picture
from demo.build import by_name
from tests.core.builders import layer_of, one_note, plain_sound

KINDS = [m.kind for m in catalogue() if m.family == "source"]


def shown(layer: dict[str, Any], **more: Any) -> dict[str, Any]:
    """A picture of a layer over eight seconds, its arrays unpacked."""
    sound = plain_sound(layer, **more)
    found_picture = picture(sound, one_note(57, 6.0, 8.0), sound.layers[0])

    def unpacked(value: Any) -> Any:
        if isinstance(value, dict) and "data" in value:
            data = base64.b64decode(value["data"])
            return np.frombuffer(data, value["type"]).reshape(value["shape"])
        return value

    return {key: unpacked(value) for key, value in found_picture.items()}


@pytest.mark.parametrize("kind", KINDS)
def test_every_source_has_a_picture(kind: str) -> None:
    found_picture = shown(layer_of(kind))
    assert found_picture["kind"]
    assert found_picture["length"] == 8.0


def test_partials_are_shown_where_they_are() -> None:
    found_picture = shown(layer_of("harmonic", count=3, tilt=0))
    hertz = 8.0 * 2.0 ** (found_picture["octaves"][0, :3] / 2048.0)
    assert hertz == pytest.approx([220, 440, 660], rel=1e-3)
    assert np.count_nonzero(found_picture["levels"][0]) == 3
    assert not found_picture["levels"][-1].any()  # the note has ended


def test_a_spectrum_shows_the_operators_and_each_alone() -> None:
    items = [
        {"id": "operator1", "kind": "operator", "params": {}},
        {"id": "operator2", "kind": "operator", "params": {"ratio": 8, "level": -80}},
    ]
    found_picture = shown(layer_of("operators", items))
    row = int(np.log(220 / LOWEST) / np.log(HIGHEST / LOWEST) * ROWS)
    assert found_picture["levels"].shape == (MOMENTS, ROWS)
    assert abs(int(found_picture["levels"][10].argmax()) - row) <= 1
    assert set(found_picture["items"]) == {"operator1", "operator2"}


def test_grains_are_shown_on_the_recording() -> None:
    found_picture = shown(layer_of("grains", recording=by_name()["motor"], position=50, travel=0))
    grains = found_picture["grains"]
    assert len(grains) > 50
    assert grains[:, 2].min() > 0.3
    assert grains[:, 2].max() < 0.7
    assert (np.diff(grains[:, 0]) > -0.1).all()


def test_spectral_travel_is_shown() -> None:
    found_picture = shown(
        layer_of("spectral", recording=by_name()["motor"], travel=0.5, position=0)
    )
    places = found_picture["places"][found_picture["places"] >= 0]
    assert places[-1] - places[0] == pytest.approx(0.5 * 5.8 / 6.0, abs=0.05)


def test_cycles_move_with_the_position() -> None:
    moved = {
        "modulators": [{"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 8}}}],
        "routes": [{"id": "r", "from": "m", "to": "ground.source.position", "depth": 50}],
    }
    found_picture = shown(layer_of("wavetable", table="aperture", position=50), **moved)
    assert np.abs(found_picture["cycles"][0].astype(int) - found_picture["cycles"][24]).max() > 40


def responses(filters: list[dict[str, Any]], **more: Any) -> dict[str, np.ndarray]:
    """What filters do over eight seconds, in dB ``[moments, ROWS]``, by their ids."""
    found_picture = shown({**layer_of("wavetable"), "filters": filters}, **more)["responses"]
    return {
        name: np.frombuffer(base64.b64decode(packed["data"]), np.uint8).reshape(packed["shape"])
        * (90.0 / 255.0)
        - 72.0
        for name, packed in found_picture.items()
    }


CENTRES = LOWEST * (HIGHEST / LOWEST) ** ((np.arange(ROWS) + 0.5) / ROWS)


@pytest.mark.parametrize("slope", ["12", "24"])
def test_a_response_is_the_butterworth_filter_s(slope: str) -> None:
    """`scipy.signal.butter` at the same corner, as an analogue filter."""
    params = {"cutoff": 800.0, "resonance": 0.0, "slope": slope}
    found = responses([{"id": "f", "kind": "lowpass", "params": params}])["f"]
    b, a = scipy.signal.butter(int(slope) // 6, 1.0, analog=True)
    _, wanted = scipy.signal.freqs(b, a, worN=CENTRES / 800.0)
    decibels = np.maximum(20.0 * np.log10(np.abs(wanted)), -72.0)
    heard = (CENTRES < 16_000.0) & (decibels > -65.0)
    assert np.abs(found[3] - decibels)[heard].max() < 0.6


def test_responses_follow_what_moves_and_end_with_the_note() -> None:
    movers = [{"id": "m", "name": "M", "kind": "lfo", "params": {"shape": "rise"}}]
    routes = [{"id": "r", "from": "m", "to": "ground.f.cutoff", "depth": 2.0}]
    filters = [
        {"id": "f", "kind": "peak", "params": {"cutoff": 800.0, "gain": 12.0}},
        {"id": "g", "kind": "lowpass", "params": {}},
    ]
    found = responses(filters, modulators=movers, routes=routes)
    assert set(found) == {"f", "g"}
    peaks = found["f"].argmax(axis=1)
    assert np.ptp(CENTRES[peaks[:20]]) > 150.0
    assert found["f"].max() == pytest.approx(12.0, abs=0.8)
    assert found["g"][-1].max() == -72.0  # the note has ended


FILTERS = [m.kind for m in catalogue() if m.family == "filter"]


@pytest.mark.parametrize("kind", FILTERS)
def test_every_filter_has_a_response(kind: str) -> None:
    found = responses([{"id": "f", "kind": kind, "params": {}}])["f"]
    assert found[3].max() > -12.0
