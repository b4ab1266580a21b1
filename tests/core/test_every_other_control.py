"""No control does nothing: filters, effects, modulators, and the layer around a source."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from caligo.catalogue import Kind, Module, Parameter, catalogue
from caligo.document import Note, Score, read_sound
from caligo.document.score import Lane, LanePoint
from caligo.document.values import default_value
from caligo.engine.render.offline import render_array
from caligo.material.store import current
from tests.core.builders import plain_layer

Params = dict[str, Any]

FILTERS = [m.kind for m in catalogue() if m.family == "filter"]
# What has to be so for a parameter to matter, beside what its `when` says.
NEEDS: dict[str, Params] = {
    "lowpass.even": {"resonance": 70},
    "highpass.even": {"resonance": 70},
    "filter.even": {"resonance": 70},
    "filter.resonance": {"slope": "24"},
    "filter.driven": {"drive": 20},
    **{f"{kind}.driven": {"drive": 20} for kind in FILTERS},
    "delay.law": {"crossing": 80},
    "delay.pitched": {"pitch_left": 700},
    "layer.key_fade": {"key_high": 60},
    "layer.velocity_fade": {"velocity_high": 90},
    "layer.ring_ratio": {"ring_by": "sine", "ring_amount": 100},
    "layer.ring_amount": {"ring_by": "sine"},
    "layer.ring_by": {"ring_amount": 100},
    "layer.ring_layer": {"ring_by": "layer", "ring_amount": 100},
    "layer.phase_ratio": {"phase_by": "sine", "phase_depth": 200},
    "layer.phase_depth": {"phase_by": "sine"},
    "layer.phase_by": {"phase_depth": 200},
    "layer.phase_layer": {"phase_by": "layer", "phase_depth": 200},
    "key.response": {"keys": [20, 40, 90]},
    "lfo.second": {"blend": 60},
    "envelope.hold": {"attack": {"value": 0.1}},
    "envelope.decay_bend": {"attack": {"value": 0.05}, "decay": {"value": 0.4}},
    "amplitude.decay_bend": {"decay": {"value": 0.4}, "sustain": -20},
    "amplitude.decay": {"sustain": -30},
    "amplitude.hold": {"decay": {"value": 0.3}, "sustain": -40},
    "amplitude.sustain": {"decay": {"value": 0.1}},
    "amplitude.attack_bend": {"attack": {"value": 0.5}},
    "amplitude.release_bend": {"release": {"value": 0.5}},
}
FAMILIES = ("filter", "effect", "modulator")
PARTS = ("layer", "amplitude")
ENVELOPE = {"attack": {"value": 0.2}, "decay": {"value": 0.2}, "release": {"value": 0.4}}
SCORE = Score(
    length=2.0,
    notes=[
        Note(id="a", pitch=45, start=0.0, length=1.2, velocity=60),
        Note(id="b", pitch=64, start=0.3, length=0.9, velocity=110),
    ],
    lanes=[
        Lane(
            id="cc1",
            controller=1,
            points=[LanePoint(time=0.0, value=0.1), LanePoint(time=1.5, value=0.9)],
        )
    ],
)


def recordings() -> list[str]:
    return [card.key for card in current().cards() if card.kind == "recording"]


def cases() -> list[tuple[Module, Parameter]]:
    return [
        (m, p)
        for m in catalogue()
        if m.family in FAMILIES or (m.family == "part" and m.kind in PARTS)
        for p in m.parameters
    ]


def sound_of(module: Module, params: Params) -> Params:
    """A document in which a module has these values, and is heard."""
    layer = plain_layer(table="saw", unison=3, scatter=100)
    other = {**plain_layer(table="square"), "id": "other", "name": "Other", "params": {"octave": 1}}
    document: Params = {"name": "Test", "layers": [layer, other], "params": {"pace": 300}}
    part = {"id": "it", "kind": module.kind, "params": params}
    if module.family == "filter":
        layer["filters"] = [part]
    elif module.family == "effect":
        layer["inserts"] = [part]
        if module.kind == "delay":  # how a time moves matters only where one does
            mover = {"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 0.5}}}
            document["modulators"] = [mover]
            document["routes"] = [{"id": "r", "from": "m", "to": "ground.it.left", "depth": 0.5}]
    elif module.kind == "layer":
        two = [{"id": f"f{i}", "kind": kind, "params": {"cutoff": 900}}
               for i, kind in enumerate(("lowpass", "highpass"))]  # fmt: skip
        insert = {"id": "fx", "kind": "tremolo"}
        layer |= {"params": params, "filters": two, "inserts": [insert]}
    elif module.kind == "amplitude":
        layer["envelope"] = {"params": layer["envelope"]["params"] | params}
    else:
        document["modulators"] = [part | {"name": "It", "scope": "note"}]
        document["routes"] = [{"id": "r", "from": "it", "to": "ground.level", "depth": 20}]
    return document


def context(module: Module, parameter: Parameter) -> Params:
    """The values under which a parameter should matter."""
    kind = "filter" if module.family == "filter" else module.kind.removesuffix("_filter")
    params = dict(NEEDS.get(f"{kind}.{parameter.key}", {}))
    if module.kind == "envelope":
        params = {**ENVELOPE, "sustain": 40, **params}
    if module.kind in ("lfo", "random") and parameter.key != "period":
        params["period"] = {"value": 0.4}
    if module.kind in ("steps", "curve"):
        params.setdefault("period", {"value": 0.3 if module.kind == "steps" else 1.0})
    if module.kind in ("follower", "convolution") and parameter.key != "recording":
        params["recording"] = recordings()[0]
    if parameter.when is not None and parameter.when[0] not in params:
        key, values = parameter.when
        switching = module.parameter(key)
        assert switching is not None
        params[key] = values[-1] if values else switching.high
    known = {p.key for p in module.parameters}
    return {key: value for key, value in params.items() if key in known}


def other_values(parameter: Parameter, before: Any) -> list[Any]:
    """Values that are far from the one before."""
    if parameter.kind is Kind.SWITCH:
        return [not before]
    if parameter.kind is Kind.CHOICE:
        return [c.value for c in parameter.choices if c.value != before]
    if parameter.kind is Kind.TIME:
        return [{"value": min(max(v, parameter.low), parameter.high)} for v in (0.35, 0.8, 0.05)]
    if parameter.of in ("layer", "signal"):
        return ["other"]
    if parameter.of == "recording":
        return recordings()
    if parameter.kind is Kind.NUMBERS:
        low, high = parameter.low, parameter.high
        return [[low, high, 0.5 * (low + high)], [high], [low]]
    middle = 0.5 * (parameter.low + parameter.high)
    found = [parameter.low, middle, parameter.high, 1.0, 50, 20]
    return [
        int(v) if parameter.kind is Kind.INTEGER else v
        for v in found
        if parameter.low <= v <= parameter.high and v != before
    ]


def rendered(document: Params, parameter: Parameter) -> np.ndarray:
    """The document over the score; where a wheel rests matters only if no lane moves it."""
    score = SCORE.model_copy(update={"lanes": []}) if parameter.key == "rest" else SCORE
    return render_array(read_sound(json.loads(json.dumps(document))), score)


@pytest.mark.parametrize(
    ("module", "parameter"),
    cases(),
    ids=lambda x: x.key if isinstance(x, Parameter) else x.kind,
)
def test_every_control_does_something(module: Module, parameter: Parameter) -> None:
    around = context(module, parameter)
    before = around.get(parameter.key, default_value(parameter))
    plain = rendered(sound_of(module, around), parameter)
    for value in other_values(parameter, before):
        changed = rendered(sound_of(module, {**around, parameter.key: value}), parameter)
        if np.abs(changed - plain).max() > 1e-5:
            return
    pytest.fail(f"{module.kind}.{parameter.key} changes nothing")
