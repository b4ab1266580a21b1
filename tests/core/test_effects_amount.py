"""One amount over a chain of effects: dry at 0 %, the chain as it stands at 100 %."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.document import Sound, read_sound
from caligo.engine.listening.live import Listening
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from tests.core.builders import RATE, decibels, one_note, plain_layer

FOLD = {"id": "fx1", "kind": "folder", "params": {"drive": 18}}
SPACE = {"id": "fx2", "kind": "delay", "params": {"mix": 40}}
LATE = {"id": "fx3", "kind": "limiter", "params": {"ceiling": -30}}
CHAIN = [FOLD, SPACE, LATE]
"""Effects that bend, repeat and look ahead: the last comes out later than it went in."""
PLACES = ("ground", "nave", "master")


def sound_of(place: str, chain: list[dict[str, Any]], amount: float, **more: Any) -> Sound:
    """A saw with a chain on its layer, on a bus that alone is heard, or on the master."""
    layer = plain_layer(table="saw")
    layer["params"] = {"level": -6.0}
    document: dict[str, Any] = {"name": "Test", "layers": [layer], **more}
    params = {"amount": amount}
    if place == "ground":
        layer["inserts"] = chain
        layer["params"] |= params
    elif place == "nave":
        send = {"id": "s", "bus": "nave", "params": {"level": 0.0, "from": "ahead"}}
        layer["params"]["level"] = -80.0
        layer["sends"] = [send]
        document["buses"] = [{"id": "nave", "name": "Nave", "effects": chain, "params": params}]
    else:
        document["master"] = {"effects": chain, "params": params}
    return read_sound(document)


def heard(place: str, chain: list[dict[str, Any]], amount: float, **more: Any) -> np.ndarray:
    return render_array(sound_of(place, chain, amount, **more), one_note(57, 2.0))


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("amount", [0.0, 37.5, 80.0])
def test_it_crosses_over_from_what_comes_in(place: str, amount: float) -> None:
    """In step, though the chain looks ahead: the mix of both, in amplitude."""
    wet, dry = heard(place, CHAIN, 100.0), heard(place, [], 100.0)
    expected = dry + amount / 100.0 * (wet - dry)
    found = heard(place, CHAIN, amount)
    assert decibels(np.abs(wet - dry).max() / np.abs(dry).max()) > -20.0
    assert decibels(np.abs(found - expected).max() / np.abs(dry).max()) < -100.0


@pytest.mark.parametrize("place", PLACES)
def test_it_moves_and_blocks_make_no_difference(place: str) -> None:
    mover = {
        "modulators": [
            {"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 1.3}}}
        ],
        "routes": [{"id": "r", "from": "m", "to": f"{place}.amount", "depth": 60}],
    }
    moved = sound_of(place, CHAIN, 50.0, **mover)
    found = render_array(moved, one_note(57, 2.0), ahead=False)
    assert np.array_equal(render_array(moved, one_note(57, 2.0), block=64, ahead=False), found)
    wet, dry = heard(place, CHAIN, 100.0), heard(place, [], 100.0)
    fraction = np.sum((found - dry) * (wet - dry)) / np.sum((wet - dry) ** 2)
    assert 0.1 < fraction < 0.9
    assert not np.allclose(found, dry + fraction * (wet - dry), atol=1e-3)


@pytest.mark.parametrize("place", PLACES)
def test_a_kept_state_goes_on_to_the_bit(place: str) -> None:
    sound = sound_of(place, CHAIN, 40.0)
    engine = Engine(sound, one_note(57, 4.0))
    engine.render(500)
    state = engine.save_state()
    expected = engine.render(400)
    other = Engine(sound, one_note(57, 4.0))
    other.restore_state(state)
    assert np.array_equal(other.render(400), expected)


def test_it_is_turned_while_listening_without_a_click() -> None:
    """From all to none: no step is larger than the saws on either side have."""
    chain = [{"id": "fx1", "kind": "saturation", "params": {"drive": 20}}]
    listening = Listening(sound_of("master", chain, 100.0), one_note(57, 20.0))
    before = np.concatenate([listening.block() for _ in range(10)], axis=1)
    listening.edit(sound_of("master", chain, 0.0))
    after = np.concatenate([listening.block() for _ in range(40)], axis=1)
    assert np.abs(np.diff(after)).max() < 1.1 * max(
        np.abs(np.diff(before)).max(), np.abs(np.diff(after[:, -RATE:])).max()
    )
    rest = heard("master", [], 100.0)
    assert decibels(after[:, -RATE:].std() / rest[:, RATE : 2 * RATE].std()) == pytest.approx(
        0.0, abs=0.3
    )
