"""What goes round in effects goes with the sound's pace, or at its own in older documents."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.catalogue import Kind, module
from caligo.document import read_sound
from caligo.document.upgrading import UNPACED
from caligo.engine.render.offline import render_array
from tests.core.builders import one_note, plain_layer

Params = dict[str, Any]
every_effect = pytest.mark.parametrize("kind", UNPACED)


def document(kind: str, pace: float, period: float, **params: Any) -> Params:
    """A saw through an effect whose period is given in seconds, at a pace in per cent."""
    parameter = module("effect", kind).parameter("period")
    assert parameter is not None
    params["period"] = {"value": period} if parameter.kind is Kind.TIME else period
    layer = plain_layer(table="saw") | {"inserts": [{"id": "fx", "kind": kind, "params": params}]}
    return {"name": "Paced", "layers": [layer], "params": {"pace": pace}}


OLDER: dict[str, Params] = {"resonators": {"slope": "6"}}


def rendered(made: Params) -> np.ndarray:
    return render_array(read_sound(made), one_note(key=45, length=2.0))


@every_effect
def test_twice_the_pace_is_half_the_period(kind: str) -> None:
    quick = rendered(document(kind, 200.0, period=1.0))
    short = rendered(document(kind, 100.0, period=0.5))
    slow = rendered(document(kind, 100.0, period=1.0))
    assert np.abs(quick - short).max() < 1e-4 * np.abs(short).max()
    assert np.abs(quick - slow).max() > 1e-2 * np.abs(slow).max()


@every_effect
def test_what_is_older_keeps_its_own_speed(kind: str) -> None:
    old = document(kind, 200.0, period=1.0) | {"schema": 8}
    own = document(kind, 200.0, period=1.0, paced=False)
    slow = document(kind, 100.0, period=1.0)
    for made in (own, slow):
        # What else an older one does as it did.
        made["layers"][0]["inserts"][0]["params"] |= OLDER.get(kind, {})
    assert np.array_equal(rendered(old), rendered(own))
    assert np.abs(rendered(old) - rendered(slow)).max() < 1e-4 * np.abs(rendered(slow)).max()
    chosen = document(kind, 200.0, period=1.0, paced=True) | {"schema": 8}
    assert read_sound(chosen).layers[0].inserts[0].switch("paced")


@every_effect
def test_a_pace_that_moves_carries_them_along(kind: str) -> None:
    """From 50 to 200 % and back within each second, against the pace at rest."""
    lfo = {"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 1.0}}}
    moved = document(kind, 100.0, period=0.7) | {
        "modulators": [lfo],
        "routes": [{"id": "r", "from": "m", "to": "sound.pace", "depth": 1.0}],
    }
    still = rendered(document(kind, 100.0, period=0.7))
    assert np.abs(rendered(moved) - still).max() > 1e-2 * np.abs(still).max()
