"""Filters as effects, and the level behind filters."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.catalogue import Moves, catalogue, module
from caligo.document import Score
from caligo.document.pitch import frequency
from caligo.engine.render.engine import RATES, Engine
from caligo.engine.render.offline import render_array
from tests.core.builders import decibels, layer_of, one_note, plain_layer, plain_sound, spectrum

KINDS = [m.kind for m in catalogue() if m.family == "filter"]
every_filter = pytest.mark.parametrize("kind", KINDS)
Params = dict[str, Any]


def sound(place: str, kind: str, params: Params, layer: Params | None = None) -> Any:
    """A layer with a filter at one of its places: among its filters, or its inserts."""
    made = (layer or plain_layer(table="saw")) | {
        place: [{"id": "f", "kind": kind, "params": params}]
    }
    return plain_sound(made)


@every_filter
def test_every_filter_is_an_effect_too(kind: str) -> None:
    spec, effect = module("filter", kind), module("effect", f"{kind}_filter")
    assert [p.key for p in effect.parameters] == [p.key for p in spec.parameters]
    assert {p.moves for p in effect.parameters} <= {Moves.SHARED, Moves.NO}


@pytest.mark.parametrize("rate", RATES)
@every_filter
def test_of_one_voice_it_makes_what_the_filter_makes(kind: str, rate: int) -> None:
    """Ahead of a level that stays, or behind it: the same, once the note's first tick has faded."""
    score = one_note(key=45, length=1.0)
    follows = {"key_follow": 60} if module("filter", kind).parameter("key_follow") else {}
    found = render_array(sound("inserts", f"{kind}_filter", follows), score, rate=rate)
    expected = render_array(sound("filters", kind, follows), score, rate=rate)
    held = slice(int(0.6 * rate), int(0.95 * rate))
    difference = np.abs(found - expected)[:, held].max() / np.abs(expected).max()
    assert decibels(difference) < -80


@pytest.mark.parametrize("key", [24, 49, 61, 101])
def test_a_comb_on_a_layer_follows_the_newest_note(key: int) -> None:
    """At full key follow it rings at each note's pitch: from the second on at the second's."""
    notes = [
        {"id": "a", "pitch": key + 7, "start": 0.0, "length": 4.0},
        {"id": "b", "pitch": key, "start": 1.0, "length": 3.0},
    ]
    score = Score.model_validate({"length": 4.0, "notes": notes})
    params = {"cutoff": 261.6255653, "key_follow": 100, "feedback": 98, "mix": 100}
    made = sound("inserts", "comb_filter", params, layer_of("noise"))
    signal = render_array(made, score)[0]
    for begin, expected in ((10_000, key + 7), (110_000, key)):
        part = signal[begin : begin + 36_000]
        levels = spectrum(part)
        hertz = np.arange(len(levels)) * 48_000 / len(part)
        fundamental = frequency(expected, 440.0)
        near = (hertz > 0.7 * fundamental) & (hertz < 1.4 * fundamental)
        found = hertz[near][np.argmax(levels[near])]
        assert found == pytest.approx(fundamental, rel=0.02, abs=hertz[1])  # a bin, at C1


@every_filter
def test_blocks_and_states_make_no_difference(kind: str) -> None:
    made = sound("inserts", f"{kind}_filter", {"drive": 12.0} if _drives(kind) else {})
    whole = np.concatenate(list(Engine(made, one_note()).stream(400, 8_192, ahead=False)), axis=1)
    small = np.concatenate(list(Engine(made, one_note()).stream(100, 64, ahead=False)), axis=1)
    assert np.array_equal(small, whole[:, : 100 * 64])
    engine, other = (Engine(made, one_note()) for _ in range(2))
    engine.render(200)
    other.restore_state(engine.save_state())
    assert np.array_equal(other.render(200), whole[:, 200 * 64 :])


def _drives(kind: str) -> bool:
    return module("filter", kind).parameter("drive") is not None


@pytest.mark.parametrize("place", ["filters", "inserts"])
@every_filter
def test_the_output_is_a_level_behind_the_filter(kind: str, place: str) -> None:
    """6.0206 dB are a factor of two, by definition."""
    name = kind if place == "filters" else f"{kind}_filter"
    plain, louder = (
        render_array(sound(place, name, {"output": level}), one_note(length=1.0))
        for level in (-6.0206, 0.0)
    )
    assert np.abs(2.0 * plain - louder).max() / np.abs(louder).max() < 1e-5


def test_driven_filters_leave_no_standing_offset() -> None:
    """A bent saw has one; what stays of it behind an effect lies under -60 dB of the level."""
    made = sound("inserts", "lowpass_filter", {"drive": 30.0, "cutoff": 400.0})
    signal = render_array(made, one_note(key=33, length=4.0))[0, 96_000:]
    assert decibels(abs(signal.mean()) / signal.std()) < -50
