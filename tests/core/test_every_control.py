"""No control does nothing: every parameter of every source, item and layer changes the sound."""

from __future__ import annotations

import json
from functools import lru_cache
from typing import Any

import numpy as np
import pytest

from caligo.catalogue import Kind, Parameter, catalogue, module
from caligo.catalogue.placement import PARAMETERS
from caligo.document import Note, Score, read_sound
from caligo.document.values import default_value
from caligo.engine.render.offline import render_array
from demo.build import by_name
from tests.core.builders import layer_of, plain_sound

Params = dict[str, Any]
SHELF = by_name()

# What has to be so for a parameter to matter, beside what its `when` says.
NEEDS: dict[str, Params] = {
    "wavetable.position": {"table": "rime"},
    "wavetable.warp_amount": {"warp": "sync"},
    "wavetable.warp": {"warp_amount": 60},
    "wavetable.cut": {"table": "cut"},
    "harmonic.every": {"rule": "every"},
    "harmonic.list": {"rule": "list"},
    "harmonic.second_list": {"rule": "list", "list_glide": 60},
    "harmonic.list_glide": {"rule": "list"},
    "harmonic.other_rule": {"morph": 60},
    "harmonic.third": {"third_rule": "octaves"},
    "harmonic.third_rule": {"third": 60},
    "harmonic.stiffness_by": {"stiffness": 400},
    "harmonic.band_centre": {"band": 100},
    "harmonic.band_width": {"band": 100},
    "harmonic.bundle_spread": {"bundle": 3},
    "harmonic.ripple_length": {"ripple": 30},
    "harmonic.ripple_period": {"ripple": 30},
    "harmonic.ripple_way": {"ripple": 30},
    "harmonic.turn_period": {"place": "turning"},
    "noise.dust_rate": {"dust": 100},
    "noise.dust_range": {"dust": 100, "dust_rate": 200},
    "grains.travel": {"position_scatter": 0},
    "operator.shape_of": {"shape": "other"},
    "zone.loop": {"loop_start": 0.2, "loop_end": 0.45},
    "wavetable.key_fade": {"key_high": 80},
    "wavetable.velocity_fade": {"velocity_high": 110},
    "wavetable.own_release_bend": {"own_release": {"value": 0.1}},
}
SHARED = {parameter.key for parameter in PARAMETERS}
"""What all sources have: tried on one of them."""
UNISON = {"detune", "spread", "pattern", "intervals", "scatter"}
RELEASE = {"release": {"value": 0.3}}
OWN_ENVELOPE = {"shape": "own", "attack": {"value": 0.1}, "decay": {"value": 0.2}, "sustain": 30}
RECORDINGS = ("bowed_wire", "distant_horn")


def cases() -> list[tuple[str, str, Parameter]]:
    return [
        (m.family, m.kind, p)
        for m in catalogue()
        if m.family in ("source", "item")
        for p in m.parameters
        if p.key not in SHARED or m.kind == "wavetable"
    ]


def sound_of(family: str, kind: str, params: Params) -> Any:
    """A sound in which a source, or an item of one, has these values."""
    if family == "source":
        recorded = {"recording": SHELF["bowed_wire"]} if kind in ("grains", "spectral") else {}
        items: list[Params] = []
        if kind == "sampler":
            zone = {"recording": SHELF["bowed_wire"]}
            items = [{"id": "zone1", "kind": "zone", "params": zone}]
        layer = layer_of(kind, items, **(recorded | params))
        if params.keys() & SHARED:
            # Something to go through, past or around, and to fade in and out of.
            layer["envelope"] = {"params": layer["envelope"]["params"] | RELEASE}
            layer["filters"] = [
                {"id": "f", "kind": "lowpass", "params": {"cutoff": 300}},
                {"id": "g", "kind": "highpass", "params": {"cutoff": 100}},
            ]
        return plain_sound(layer)
    if kind == "zone":
        zone = {"recording": SHELF["bowed_wire"]} | params
        items = [{"id": "zone1", "kind": "zone", "params": zone}]
        return plain_sound(layer_of("sampler", items))
    if kind == "region":
        items = [{"id": "region1", "kind": "region", "params": {"end": 4.0} | params}]
        voice = {"recording": SHELF["bowed_wire"], "travel": 1.0, "position": 15, "scatter": 0}
        return plain_sound(layer_of("spectral", items, **voice))
    operators = [
        {"id": "operator1", "kind": "operator", "params": {}},
        {"id": "operator2", "kind": "operator", "params": {"ratio": 2.3, **OWN_ENVELOPE}},
    ]
    link = {"from": "operator2", "to": "operator1", "amount": 1.0}
    if kind == "operator":
        operators[0]["params"] = params
    else:
        link |= params
    items = [*operators, {"id": "modulation1", "kind": "modulation", "params": link}]
    layer = layer_of("operators", items)
    # A filter, so that going past it makes a difference.
    layer["envelope"] = {"params": layer["envelope"]["params"] | RELEASE}
    layer["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": 300}}]
    return plain_sound(layer)


def context(family: str, kind: str, parameter: Parameter) -> Params:
    """The values under which a parameter should matter."""
    params: Params = dict(NEEDS.get(f"{kind}.{parameter.key}", {}))
    if parameter.when is not None and parameter.when[0] not in params:
        key, values = parameter.when
        switching = module(family, kind).parameter(key)
        assert switching is not None
        params[key] = values[-1] if values else switching.high
    if parameter.key in UNISON and family == "source":
        params |= {"unison": 3}
    if kind == "operator" and params.get("shape") == "own":
        params = {**OWN_ENVELOPE, "hold": {"value": 0.1}, **params}
    if kind == "zone" and parameter.key.startswith("loop_"):
        params |= {"loop": "own", "loop_start": 0.2, "loop_end": 0.45, "loop_fade": 0.05}
    return params


def other_values(parameter: Parameter, before: Any) -> list[Any]:
    """Values that are far from the one before."""
    if parameter.kind is Kind.SWITCH:
        return [not before]
    if parameter.kind is Kind.CHOICE:
        return [c.value for c in parameter.choices if c.value not in (before, "cut")]
    if parameter.kind is Kind.NUMBERS:
        return [[1, 2.5, 4]]
    if parameter.kind is Kind.TIME:
        return [{"value": max(parameter.low, 0.35)}, {"value": 1.5}]
    if parameter.of == "recording":
        return [SHELF[name] for name in RECORDINGS[1:]]
    if parameter.of == "table":
        return [SHELF["hummed_vowel_table"]]
    if parameter.of == "operator":
        return ["operator2", "operator1"]
    middle = 0.5 * (parameter.low + parameter.high)
    found = [parameter.low, middle, parameter.high, 0.3, 1.0, 60, 20]
    return [
        int(v) if parameter.kind is Kind.INTEGER else v
        for v in found
        if parameter.low <= v <= parameter.high and v != before
    ]


SCORE = Score(
    length=1.0,
    notes=[
        Note(id="a", pitch=52, start=0.0, length=0.7, velocity=70),
        Note(id="b", pitch=69, start=0.0, length=0.7, velocity=110),
    ],
)


@lru_cache(maxsize=64)
def _rendered(document: str) -> np.ndarray:
    return render_array(read_sound(json.loads(document)), SCORE)


def rendered(sound: Any) -> np.ndarray:
    return _rendered(json.dumps(sound.as_document()))


@pytest.mark.parametrize(
    ("family", "kind", "parameter"),
    cases(),
    ids=lambda x: x.key if isinstance(x, Parameter) else str(x),
)
def test_every_control_does_something(family: str, kind: str, parameter: Parameter) -> None:
    around = context(family, kind, parameter)
    before = around.get(parameter.key, default_value(parameter))
    plain = rendered(sound_of(family, kind, around))
    for value in other_values(parameter, before):
        changed = rendered(sound_of(family, kind, {**around, parameter.key: value}))
        if np.abs(changed - plain).max() > 1e-4:
            return
    pytest.fail(f"{kind}.{parameter.key} changes nothing")
